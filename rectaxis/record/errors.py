"""What the record refuses. Each text is a sentence for the person, shown beside what was typed or pressed."""


class RecordError(ValueError):
    """Something that cannot be recorded; the text says why and what to do."""


class ClosedError(RecordError):
    """A change to a job whose record stays as it is."""


class KeyUsedError(RecordError):
    """A key that was already used for something else."""

    def __init__(self) -> None:
        super().__init__("This save's key was already used for something else; reload the page and do it again.")
