"""The tree of errors. Each carries its facts in a message that says what to do; exit codes sit on the classes.

    JamkeyError                 exit 2
    |- UsageError               exit 2   the call itself is off
    |- UnreadableInput          exit 66  a file or text that cannot be read
    |  |- NoFailureFound        exit 65  readable, but it holds no failure
    |  `- BinaryInput           exit 65  not text
    |- CannotLaunch             exit 127 interpreter or program not there, not executable
    |- NoSandbox                exit 2   nothing here can hold a second run in its folders
    |- ChangedSinceRead         exit 75  the file on disk is not the one that was read
    |- NothingToUndo            exit 2
    `- InternalError            exit 70  a bug of ours, never the user's

The numbers are those of BSD's sysexits where one fits, 127 as shells use it.
"""

from __future__ import annotations


class JamkeyError(Exception):
    """The base of everything Jam Key raises on purpose."""

    exit_code = 2


class UsageError(JamkeyError):
    """The call itself is off."""


class UnreadableInput(JamkeyError):
    """A file or a text cannot be read."""

    exit_code = 66


class NoFailureFound(UnreadableInput):
    """The text is readable but holds no failure that a reader knows."""

    exit_code = 65


class BinaryInput(UnreadableInput):
    """The input is not text."""

    exit_code = 65


class CannotLaunch(JamkeyError):
    """The program or its interpreter cannot be started."""

    exit_code = 127


class NoSandbox(JamkeyError):
    """Nothing on this system can hold a second run in its folders, and nobody has said that it may run all the same."""


class ChangedSinceRead(JamkeyError):
    """A file changed between reading it and writing it; nothing was written."""

    exit_code = 75


class NothingToUndo(JamkeyError):
    """No applied fix is on record."""


class InternalError(JamkeyError):
    """A bug of Jam Key's own."""

    exit_code = 70
