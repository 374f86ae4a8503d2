"""The batch view: which pictures, what is done to them, what is written where, and what came of each."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QTimer, QUrl
from PyQt6.QtGui import QDesktopServices, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from dustpan.core.batch.order import Order
from dustpan.core.errors import DustpanError
from dustpan.core.recipes.shelf import Shelved
from dustpan.ui.ask import ask
from dustpan.ui.drops import dropped
from dustpan.ui.look.buttons import button
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.plain import Label
from dustpan.ui.many.batch_run import BatchRun
from dustpan.ui.many.batch_table import BatchTable
from dustpan.ui.many.order_form import OrderForm
from dustpan.ui.view import Seat

WAIT_MS = 200  # for what is ordered to stand still before it is planned


class BatchView(QWidget):
    """The form of what is ordered over the table of what came of it.

    Parameters
    ----------
    run : of the view before this one, which goes on.
    """

    def __init__(self, seat: Seat, run: BatchRun | None = None) -> None:
        super().__init__(seat.parent)
        self.seat = seat
        self.run = run or BatchRun(seat.parent)
        if run is None:
            self.run.progressed.connect(seat.progressed)
        self.setAcceptDrops(True)
        self._looking = QTimer(self)
        self._looking.setSingleShot(True)
        self._looking.setInterval(WAIT_MS)
        self._looking.timeout.connect(self.show_plan)
        self._build()
        r = self.run
        for signal, slot in (
            (r.planned, self._show_planned), (r.filled, self.table.fill), (r.changed, self.table.show_item),
            (r.ended, self._show_ended), (r.progressed, self._show_progress), (r.noted, self.note.setText),
        ):  # fmt: skip
            signal.connect(slot)
        self._show_running(r.running)

    def _build(self) -> None:
        tr = self.tr
        self.form, self.table = OrderForm(self.seat.shelf), BatchTable(self.run)
        self.form.changed.connect(self._looking.start)
        self.table.wanted.connect(lambda path: self.seat.open([path]))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.left, self.note = Label(""), ElidedLabel()
        self.note.setObjectName("warning")
        self.begin = button(tr("Begin"), tr("Do it to all of them"), self.start)
        self.begin.setDefault(True)
        self.resume = button(tr("Go on"), tr("Go on with the batch that is in this folder"), self.go_on)
        self.pause = button(tr("Pause"), tr("Begin no further picture until you say so"), self.toggle_pause)
        self.cancel = button(tr("Cancel"), tr("Stop now; what is done stays, and can be gone on with"), self.call_off)
        self.again = button(tr("Retry what failed"), tr("Try only those again that failed"), self.go_on)
        self.report = button(tr("Report"), tr("Open the page of this batch, outliers first"), self.open_report)
        foot = QHBoxLayout()
        foot.addWidget(self.bar, 1)
        foot.addWidget(self.left)
        for one in (self.report, self.again, self.resume, self.pause, self.cancel, self.begin):
            foot.addWidget(one)
        box = QVBoxLayout(self)
        box.addWidget(self.form)
        box.addWidget(self.table, 1)
        box.addWidget(self.note)
        box.addLayout(foot)

    # -------------------------------------------------------------- as a view of the window

    @property
    def widget(self) -> QWidget:
        return self

    @property
    def title(self) -> str:
        return self.tr("Batch")

    def enter(self, what: object = None) -> None:
        """What is on the bench can be done to others, or a recipe; open pictures are proposed where none are chosen."""
        document = self.seat.state.document
        self.form.show_bench(document.sweep if document else None, [d.path for d in self.seat.documents()])
        if isinstance(what, Shelved):
            self.form.fill_recipes(what)
        self.form.sources.setFocus()
        self.show_plan()

    def may_leave(self) -> bool:
        """Ask before a batch that goes on is ended; it can be gone on with."""
        if not self.run.running:
            return True
        text = self.tr("A batch is going on.")
        more = self.tr("What is done stays; the batch view offers to go on with it the next time.")
        leave = self.tr("End it")
        return ask(self, text, more, [leave, self.tr("Stay")], usual=1) == leave

    def stop(self) -> None:
        self.run.stop()

    def rebuilt(self) -> BatchView:
        """The same in another language or of another look; a batch goes on meanwhile."""
        fresh = BatchView(self.seat, self.run)
        fresh.form.go_on_from(self.form)
        fresh.show_all()
        return fresh

    def retire(self) -> None:
        self._looking.stop()
        self.deleteLater()

    def show_all(self) -> None:
        """Show the run as it is now."""
        if self.run.running:
            self.table.fill()
            self._show_progress(len(self.run.outcomes), len(self.run.items))
        elif self.run.over:
            self._show_ended()
        else:
            self.show_plan()

    # -------------------------------------------------------------- what is ordered

    def show_plan(self) -> None:
        """What will be written where, before it is begun."""
        if self.run.running:
            return
        order: Order | str = self.tr("Add pictures, or drop them here.")
        if self.form.sources.count():
            try:
                order = self.form.order()
            except DustpanError as error:
                order = str(error)
        self.run.planning.ask(self.form.out.text(), order)

    def _show_planned(self) -> None:
        plan = self.run.plan
        self.form.becomes.setText(plan.words)
        self.note.setText(self.run.note)
        self.resume.setVisible(plan.left is not None)
        if plan.left is not None:
            words = self.tr("A batch in this folder was not finished: {0} of {1} pictures are left.")
            self.note.setText(words.format(*plan.left))
        for one in (self.pause, self.cancel, self.again):
            one.setVisible(False)
        self.report.setEnabled(bool(self.form.out.text()) and self._page.is_file())
        self.table.fill()
        watches = self.form.watch.isChecked() and self.form.sources.count() > 0
        self.begin.setEnabled(bool(self.run.items) or watches)

    @property
    def _page(self) -> Path:
        return Path(self.form.out.text()) / "dustpan-batch.html"

    # -------------------------------------------------------------- running

    def start(self) -> None:
        """Begin what is ordered."""
        try:
            order = self.form.order()
        except DustpanError as error:
            self.note.setText(str(error))
            return
        self.note.setText("")
        anew, watch = not self.resume.isHidden(), self.form.watch.isChecked()
        self.run.start(Path(order.out), order, self.form.doer_asked(), anew, watch)
        self._show_running(True)

    def go_on(self) -> None:
        """Go on with what is in the folder, which tries again what failed."""
        self.note.setText("")
        self.run.start(Path(self.form.out.text()), None, self.form.doer_asked())
        self._show_running(True)

    def toggle_pause(self) -> None:
        runner = self.run.runner
        runner.pause(not runner.paused)
        self.pause.setText(self.tr("Go on") if runner.paused else self.tr("Pause"))
        self._show_progress(len(self.run.outcomes), len(self.run.items))

    def call_off(self) -> None:
        self.run.runner.cancel()
        self.left.setText(self.tr("cancelling …"))

    def _show_running(self, on: bool) -> None:
        for widget in (self.begin, self.resume, self.again):
            widget.setVisible(False if on else widget is self.begin)
        for widget in (self.pause, self.cancel):
            widget.setVisible(on)
        self.pause.setText(self.tr("Go on") if self.run.runner.paused else self.tr("Pause"))
        if not on and not self.run.over:
            for one in (self.begin, self.report):
                one.setEnabled(False)

    def _show_ended(self) -> None:
        self._show_running(False)
        summary = self.run.summary
        self.again.setVisible(self.run.failed)
        self.note.setText(self.run.note)
        self.left.setText("")
        if summary and summary.left:
            self.resume.setVisible(True)
        self.begin.setEnabled(self.form.sources.count() > 0)  # whatever was planned before it ran
        self.report.setEnabled(self._page.is_file())
        self.table.fill(outliers_first=bool(summary and not summary.left))

    def _show_progress(self, done: int, total: int) -> None:
        """How far it is, over all, and how long it will take."""
        if not self.run.running:
            return
        self.bar.setRange(0, 1000)
        self.bar.setValue(round(1000 * self.run.share / max(total, 1)))
        said, seconds = self.tr("{0} of {1}").format(done, total), self.run.seconds_left()
        if self.run.runner.paused:
            said += " · " + self.tr("paused")
        elif seconds:
            said += " · " + (self.tr("{0:.0f} s left") if seconds < 90 else self.tr("{0:.0f} min left")).format(
                seconds if seconds < 90 else seconds / 60
            )
        self.left.setText(said)

    def open_report(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._page)))

    # -------------------------------------------------------------- drops

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        dropped(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if (found := dropped(event)) and not self.run.running:
            self.form.add(found)
