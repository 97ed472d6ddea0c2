"""The words in which the business reports."""

from contextlib import AbstractContextManager

from alignment.speech import Speech, speaking
from rectaxis.business.models import the_business


def in_words_of_the_business() -> AbstractContextManager[None]:
    """What is said within is said as reports have it, whoever reads: sides as the business calls them, lengths in mm."""
    return speaking(Speech(the_business().side_names))
