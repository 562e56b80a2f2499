"""The family of errors that reach a person: each carries one sentence saying what and why."""

import errno
from collections.abc import Iterator
from contextlib import contextmanager


class UserError(Exception):
    """An error with a sentence for the person (`sentence`); the cause for the log is `__cause__`."""

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence)
        self.sentence = sentence


class UnreadableFileError(UserError):
    """The bytes are no picture that can be read."""


class TookTooLongError(UnreadableFileError):
    """Reading them was stopped, because it took longer than any file may take."""


class TooLargeError(UserError):
    """A file, a picture or a size exceeds a stated limit."""


class OutOfRangeError(UserError):
    """A number lies outside the range that is stated in the sentence."""


class NotUnderstoodError(UserError):
    """Typed words could not be read as a size, a step or a place."""


class ChangedMeanwhileError(UserError):
    """Somebody else changed the same thing since it was read; nothing was lost or overwritten."""


class TooSlowError(UserError):
    """Something did not arrive in time."""


class TooManyTriesError(UserError):
    """Something was tried too often within a short time; waiting helps."""


class NotFoundError(UserError):
    """The thing does not exist, or belongs to somebody who has not shared it."""


class NotAllowedError(UserError):
    """The person may not do this."""


class UnavailableError(UserError):
    """Something that is needed cannot be had at the moment; trying again may help."""


class StorageFullError(UnavailableError):
    """Nothing could be written: the disk is full, or its limit is reached, or it cannot be written to."""


# what a system says where a disk is full, beyond somebody's share, not to be written, or not one's own
DISK_TROUBLE = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EACCES})


@contextmanager
def said_of_the_disk() -> Iterator[None]:
    """StorageFullError where nothing can be written within."""
    try:
        yield
    except OSError as error:
        if error.errno not in DISK_TROUBLE:
            raise
        raise StorageFullError("The file could not be stored: the disk is full or cannot be written.") from error


class BusyError(UnavailableError):
    """Too much is under way at the moment; nothing was begun."""


class DamagedStoreError(UnavailableError):
    """A stored file is not what was stored; it cannot be made anew."""


class NoLongerWantedError(UserError):
    """Whoever asked for it has gone, so that it was not finished; nobody reads this sentence."""


class UnforeseenError(UserError):
    """Something went wrong on our side."""
