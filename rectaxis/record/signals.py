"""What the record tells whoever acts on it. Sent within the transaction of the change."""

from django.dispatch import Signal

job_closed = Signal()
"""``job``: it was handed over or ended early, and its report is sealed. Sent once of each job."""

report_corrected = Signal()
"""``job``: a closed job's reading was corrected, and its report has a further version."""
