"""The family of errors that reach a person: each carries one sentence saying what and why."""


class SaidError(Exception):
    """An error with a sentence for the person (`sentence`); the cause for the log is `__cause__`."""

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence)
        self.sentence = sentence


class UnreadableFileError(SaidError):
    """The bytes are no picture that can be read."""


class TooLargeError(SaidError):
    """A file, a picture or a size exceeds a stated limit."""


class OutOfRangeError(SaidError):
    """A number lies outside the range that is stated in the sentence."""


class NotUnderstoodError(SaidError):
    """Typed words could not be read as a size, a step or a place."""


class ChangedMeanwhileError(SaidError):
    """Somebody else changed the same thing since it was read; nothing was lost or overwritten."""


class TooSlowError(SaidError):
    """Something did not arrive in time."""


class TooManyTriesError(SaidError):
    """Something was tried too often within a short time; waiting helps."""


class NotFoundError(SaidError):
    """The thing does not exist, or belongs to somebody who has not shared it."""


class NotAllowedError(SaidError):
    """The person may not do this."""


class UnavailableError(SaidError):
    """Something that is needed cannot be had at the moment; trying again may help."""


class StorageFullError(UnavailableError):
    """Nothing could be written: the disk is full, or its limit is reached, or it cannot be written to."""


class BusyError(UnavailableError):
    """Too much is under way at the moment; nothing was begun."""


class DamagedStoreError(UnavailableError):
    """A stored file is not what was stored; it cannot be made anew."""


class NoLongerWantedError(SaidError):
    """Whoever asked for it has gone, so that it was not finished; nobody reads this sentence."""


class UnforeseenError(SaidError):
    """Something went wrong on our side."""
