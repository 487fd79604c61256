"""Files that other people and programs read and write: their names and columns are a contract."""

from dataclasses import dataclass, field

MAX_LISTED = 500
MAX_COUNTED = 1_000
"""A file with so many faults is no log; reading on would only cost time."""


@dataclass(frozen=True)
class FileFault:
    """One thing wrong in a file: where, what was found, what was expected."""

    where: str
    found: str
    expected: str

    def __str__(self) -> str:
        return f"{self.where}: found {self.found}, expected {self.expected}"


class OneFault(ValueError):
    """A file that was refused whole at its first fault: where, what was found, what was expected."""


@dataclass
class FileFaults(Exception):
    """A file that was refused whole, with every fault (a very long list is cut and counted)."""

    faults: list[FileFault] = field(default_factory=list)
    more: int = 0

    def add(self, where: str, found: str, expected: str) -> None:
        if len(self.faults) < MAX_LISTED:
            self.faults.append(FileFault(where, found, expected))
        else:
            self.more += 1

    @property
    def count(self) -> int:
        """How many there are, those that are not listed too."""
        return len(self.faults) + self.more

    @property
    def hopeless(self) -> bool:
        """Whether there are so many that nobody will mend them one by one."""
        return self.more >= MAX_COUNTED

    def __str__(self) -> str:
        same: dict[tuple[str, str, str], list[FileFault]] = {}
        for fault in self.faults:  # one fault repeated in line after line is one line
            column = fault.where.partition(", ")[2] or fault.where
            same.setdefault((column, fault.found, fault.expected), []).append(fault)
        lines = [f"{alike[0]}" + (f", and so {len(alike) - 1} times more" if len(alike) > 1 else "")
                 for alike in same.values()]
        if self.more:
            lines.append(f"and {'at least ' if self.hopeless else ''}{self.more} more")
        return "\n".join(lines)


EMPTY_LINES = 1000
"""More empty lines than this, one after the other, are no table with a gap in it."""


def hollow(text: str) -> bool:
    """Whether a text has so many empty lines in the midst of it that reading them would only take time."""
    return "\n" * EMPTY_LINES in text.rstrip()


def shown(text: str, length: int = 40) -> str:
    """A found value, quoted and cut to a length that a line can bear."""
    text = text if len(text) <= length else text[:length] + "…"
    return repr(text)
