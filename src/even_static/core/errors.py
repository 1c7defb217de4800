"""The exception tree: every error that a person may see names the field, the rule, what came and what is accepted."""

from __future__ import annotations


class EvenStaticError(Exception):
    """Root of all errors that are shown to a person.

    ``field`` is the path of the offending value, ``rule`` what must hold, ``received`` what came (shortened),
    ``accepted`` what would have been taken.
    """

    def __init__(self, field: str, rule: str, received: object = None, accepted: str = "") -> None:
        self.field = printable(field)
        self.rule = printable(rule)
        self.received = shorten(received)
        self.accepted = printable(accepted)
        super().__init__(self.message)

    @property
    def message(self) -> str:
        """One line: field, rule, what was received and what is accepted."""
        text = f"{self.field}: {self.rule}"
        if self.received != "":
            text += f"; received {self.received}"
        if self.accepted:
            text += f"; accepted: {self.accepted}"
        return text


class BadInput(EvenStaticError):
    """A file, a value or a request that cannot be taken."""


class NewerVersion(BadInput):
    """A job file written by a newer Even Static than this one."""


class Unlawful(EvenStaticError):
    """A setting outside the country's channels or power, or outside what the radio offers."""


class NotFound(EvenStaticError):
    """Something that was asked for by name is not there."""


class Conflict(EvenStaticError):
    """A change that was made on what somebody else has changed meanwhile; nothing was overwritten."""


class Full(BadInput):
    """A list or a call that holds as much as it may."""


class Busy(EvenStaticError):
    """Something that cannot be done now, and can be tried again: too much work waits, or the data file is in use."""


class InstrumentFault(EvenStaticError):
    """A box, scanner or hub did not do what it was asked."""


def printable(text: str) -> str:
    """Text that any screen, terminal or file can take: what cannot be printed is written as an escape."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() or c == "\n" else c.encode("unicode_escape").decode() for c in text)


def shorten(value: object, limit: int = 80) -> str:
    """Text of a received value, cut to ``limit`` characters; empty for None."""
    if value is None:
        return ""
    text = value if isinstance(value, str) else repr(value)
    text = printable(" ".join(text[: 20 * limit].split()))
    return text if len(text) <= limit else text[: limit - 1] + "…"
