"""Undo and redo of a sweep, by name."""

from __future__ import annotations

from dustpan.core.sweep import Sweep


class History:
    """The sweeps that a picture has had, and which one is current.

    Changes of the same name that follow each other without a pause (a slider being dragged) count as one.

    Examples
    --------
    >>> from dustpan.core.sweep import suggested
    >>> history = History(Sweep())
    >>> history.change("add Noise", suggested())
    >>> history.undo_name, history.dirty
    ('add Noise', True)
    >>> len(history.undo().steps), history.redo_name
    (0, 'add Noise')
    """

    def __init__(self, sweep: Sweep) -> None:
        self._states: list[tuple[str, Sweep]] = [("", sweep)]
        self._at = 0
        self._open = False
        self._saved = sweep

    @property
    def sweep(self) -> Sweep:
        return self._states[self._at][1]

    @property
    def dirty(self) -> bool:
        """Whether the sweep differs from the saved one."""
        return self.sweep != self._saved

    @property
    def undo_name(self) -> str:
        """What undo would take back; empty when there is nothing."""
        return self._states[self._at][0] if self._at else ""

    @property
    def redo_name(self) -> str:
        return self._states[self._at + 1][0] if self._at + 1 < len(self._states) else ""

    def change(self, name: str, sweep: Sweep, ongoing: bool = False) -> None:
        """Make a new state the current one; ``ongoing`` changes of the same name replace each other."""
        if sweep == self.sweep:
            return
        if self._open and ongoing and self.undo_name == name and self._at == len(self._states) - 1:
            self._states[self._at] = (name, sweep)
        else:
            del self._states[self._at + 1 :]
            self._states.append((name, sweep))
            self._at += 1
        self._open = ongoing

    def settle(self) -> None:
        """The next change is one of its own, even under the same name."""
        self._open = False

    def undo(self) -> Sweep:
        self._at = max(0, self._at - 1)
        self._open = False
        return self.sweep

    def redo(self) -> Sweep:
        self._at = min(len(self._states) - 1, self._at + 1)
        self._open = False
        return self.sweep

    def mark_saved(self) -> None:
        self._saved = self.sweep
