"""Going to places: the worst ones for a figure, and what a step removed as a thumbnail."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QPixmap

from dustpan.core.jobs.events import ThumbnailSeen, WorstFound
from dustpan.core.jobs.questions import thumbnail, worst_places
from dustpan.core.judge.worst import FigureName
from dustpan.ui.actions import Links, connect
from dustpan.ui.bench.showing import Showing
from dustpan.ui.pixels import image_of


class GoTo:
    """Asks for places and brings the picture there."""

    def __init__(self, showing: Showing, links: Links) -> None:
        self.showing, self.parts, self.state, self.jobs = showing, showing.parts, showing.state, showing.jobs
        links.hear(self.jobs, {WorstFound: self._worst_found, ThumbnailSeen: self._thumbnail_seen})
        connect([
            (self.parts.bottom.figure_clicked, lambda name: self.worst(FigureName(name))),
            (self.parts.sweep_line.entered, self._ask_thumbnail),
            (self.parts.sweep_line.left, self.parts.thumbnail.hide),
        ])  # fmt: skip

    def worst(self, figure: FigureName) -> None:
        """Bring the picture to the worst place for a figure; again, to the next."""
        d, request = self.state.document, self.state.request
        if d is None or request is None:
            return
        if self.state.worst is None or self.state.worst[0] is not figure:
            self.parts.bottom.state.setText(self.parts.tr("looking for the worst place …"))
            self.jobs.ask("worst", d, partial(worst_places, d, request, figure))
            return
        name, places, at = self.state.worst
        self.state.worst = (name, places, (at + 1) % len(places))
        self._go()

    def _worst_found(self, event: WorstFound) -> None:
        if not self.state.is_wanted(event):
            return
        if not event.places:
            self.parts.bottom.state.setText(self.parts.tr("no such place in this picture"))
            return
        self.state.worst = (event.figure, event.places, 0)
        self._go()

    def _go(self) -> None:
        assert self.state.worst
        _, places, at = self.state.worst
        self.parts.canvas.go_to(*places[at])
        self.parts.bottom.state.setText(self.parts.tr("worst place {0} of {1}").format(at + 1, len(places)))

    def _ask_thumbnail(self, index: int) -> None:
        d, request = self.state.document, self.state.request
        if d and request and self.state.step(index):
            self.jobs.ask("thumbnail", d, partial(thumbnail, d, request, index))

    def _thumbnail_seen(self, event: ThumbnailSeen) -> None:
        chips, shown, index = self.parts.sweep_line.chips, self.parts.thumbnail, event.index
        if not self.state.is_wanted(event) or index >= len(chips) or not chips[index].underMouse():
            return
        shown.setPixmap(QPixmap.fromImage(image_of(event.words).copy()))
        shown.setAccessibleName(self.parts.tr("What this step removed, ×8"))
        shown.adjustSize()
        shown.move(chips[index].mapToGlobal(QPoint(0, -shown.height() - 4)))
        shown.show()
