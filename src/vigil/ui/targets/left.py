"""The column at the left: search, what tonight offers, the shelf."""

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QFrame, QScrollArea, QVBoxLayout, QWidget

from vigil.documents.shelf import Framed
from vigil.files.atomic import write_bytes
from vigil.files.deepsky import DeepSkyObject, all_objects
from vigil.files.search import search
from vigil.ledger.counts import frames_taken
from vigil.planning.offer import Offer, Ranking, Wish, columns_of, rank, whole_catalogue
from vigil.planning.shelfcsv import ColumnsUnclear, from_csv, to_csv
from vigil.runtime.folders import ledger_file
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken
from vigil.ui import words
from vigil.ui.caret import TextLine
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import button, column, label, row
from vigil.ui.session import Session
from vigil.ui.targets.columns import ColumnsAsked
from vigil.ui.targets.offers import ROW, Offers, row_of_entry, row_of_framed, row_of_offer
from vigil.ui.targets.shelfmodel import ShelfModel
from vigil.ui.targets.wishes import Wishes
from vigil.ui.workspace import scrolled

_LISTS = ("Tonight", "Shelf")
_MOST_FOUND, _TOLD_ROWS = 60, 6


class TargetList(QFrame):
    """`object_chosen`, `framed_chosen` and `place_chosen` (ra_deg, dec_deg) tell what to frame; `ranked`
    follows every new ranking. `shown_name` gives what is framed now: its row is marked."""

    object_chosen = pyqtSignal(object)
    framed_chosen = pyqtSignal(object)
    place_chosen = pyqtSignal(float, float)
    ranked = pyqtSignal()

    def __init__(
        self, session: Session, jobs: Jobs, shelf: ShelfModel, shown_name: Callable[[], str]
    ) -> None:
        super().__init__()
        self._session, self._jobs, self._shelf, self._shown_name = session, jobs, shelf, shown_name
        self._ranking: Ranking | None = None
        self._ranked_for: tuple[object, ...] = ()
        self._offers: dict[str, Offer] = {}
        self._begun = False
        self.search = TextLine()
        self.search.setPlaceholderText("name, alias or coordinates")
        self.search.setAccessibleName("Search targets by name, alias or coordinates")
        self.search.setToolTip("Search  Ctrl+F")
        self.tabs = [button(name, "plain") for name in _LISTS]
        self.filter_button = button("Filter", "plain", "What to look for, and what counts how much")
        for made in (*self.tabs, self.filter_button):
            made.setCheckable(True)
        self.tabs[0].setChecked(True)
        self.wishes = Wishes()
        self.wishes.hide()
        self.found = Offers()
        self.count = label("", "small")
        self.count.setWordWrap(True)
        self._scroller: QScrollArea = scrolled(self.found)
        self.bring = button("Import …", "small", "Targets from a CSV list")
        self.export = button("Export …", "small", "The shelf as CSV")
        self.take_off = button("Delete", "small", "Delete the chosen one from the shelf")
        self.tags = TextLine()
        self.tags.setPlaceholderText("tags, divided by commas")
        self.tags.setAccessibleName("Tags of the chosen framed target")
        self._shelf_row = QWidget()
        inner = column(self.tags, gap=4)
        inner.addLayout(row(self.bring, self.export, self.take_off, gap=4))
        self._shelf_row.setLayout(inner)
        self._shelf_row.hide()
        self.columns = ColumnsAsked()
        tabs = QWidget()
        tabs.setLayout(row(*self.tabs, self.filter_button, gap=2))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 8, 8)
        layout.setSpacing(6)
        for part in (
            self.search,
            tabs,
            self.wishes,
            self._scroller,
            self.columns,
            self._shelf_row,
            self.count,
        ):
            layout.addWidget(part)
        layout.setStretchFactor(self._scroller, 1)
        self._connect()

    def _connect(self) -> None:
        self.search.textChanged.connect(lambda _: self.fill())
        self.search.returnPressed.connect(self._entered_text)
        self.search.installEventFilter(self)
        self.found.chosen.connect(self._chosen)
        for n, tab in enumerate(self.tabs):
            tab.clicked.connect(lambda _=False, n=n: self.show_list(n))
        self.filter_button.toggled.connect(self.wishes.setVisible)
        self.wishes.changed.connect(self.rank)
        self.bring.clicked.connect(self._choose_import)
        self.export.clicked.connect(self._choose_export)
        self.take_off.clicked.connect(self._take_off)
        self.tags.returnPressed.connect(self._tag)
        self._shelf.changed.connect(self.fill)
        self.columns.answered.connect(self.import_list)

    def begin(self) -> None:
        """The catalogue is there: from now on it is ranked."""
        self._begun = True
        self.rank()

    def fail(self, problem: Exception) -> None:
        self.found.show_rows([], "the catalogue can't be read")
        self.count.setText(str(problem))

    def show_list(self, which: int) -> None:
        for n, tab in enumerate(self.tabs):
            tab.setChecked(n == which)
        self._shelf_row.setVisible(which == 1)
        self.filter_button.setVisible(which == 0)
        self.wishes.setVisible(which == 0 and self.filter_button.isChecked())
        self.fill()

    @property
    def on_shelf(self) -> bool:
        return self.tabs[1].isChecked()

    # -- ranking ------------------------------------------------------------------------------------------

    def rank(self) -> None:
        """Weigh the catalogue anew where night, rig or wishes have changed."""
        session, wish = self._session, self.wishes.wish
        key = (session.sky.noon, session.rig, wish)
        if key == self._ranked_for or not self._begun:
            self.fill()
            return
        at, rig, ledger = session.now, session.rig, ledger_file()

        def work() -> tuple[tuple[object, ...], Ranking]:
            shot = {name for name, _ in frames_taken(ledger, rig.id)} if wish.not_yet_shot else set()
            return key, rank(whole_catalogue(), rig, at, wish, tuple(shot))

        self._jobs.run("ranking", work, self._ranked, self.fail)

    def _ranked(self, told: tuple[tuple[object, ...], Ranking]) -> None:
        self._ranked_for, self._ranking = told
        self._offers = {offer.entry.name: offer for offer in self._ranking.offers}
        self.fill()
        self.ranked.emit()

    def offer_of(self, entry: DeepSkyObject) -> Offer | None:
        """An object's figures, also of one that is not among the best; None when it never stands up in
        darkness."""
        if entry.name not in self._offers:
            session = self._session
            wish = Wish(light=self.wishes.wish.light, dusk=self.wishes.wish.dusk, least_hours=0.0)
            alone = rank(columns_of((entry,)), session.rig, session.now, wish).offers
            if not alone:
                return None
            self._offers[entry.name] = alone[0]
        return self._offers[entry.name]

    # -- what is listed -----------------------------------------------------------------------------------

    def fill(self) -> None:
        typed = self.search.text().strip()
        differing = self.wishes.differs
        self.filter_button.setText(f"Filter · {differing}" if differing else "Filter")
        if self.on_shelf:
            self._fill_shelf(typed)
        elif typed and looks_like_position(typed):
            self.found.show_rows([], "a position: Enter frames it")
            self.count.setText(self._spoken_words(typed))
        elif typed:
            self._fill_found(typed)
        elif self._ranking is None:
            self.found.show_rows([], "ranking tonight's targets…")
        else:
            self._fill_offers(self._ranking)

    def _fill_found(self, typed: str) -> None:
        entries = search(typed, _MOST_FOUND)
        rows = [
            row_of_offer(self._offers[e.name]) if e.name in self._offers else row_of_entry(e) for e in entries
        ]
        # nothing is marked: the first step down is to the first that was found
        self.found.show_rows(rows, "no match")
        bar = self._scroller.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)
        full = len(entries) == _MOST_FOUND
        more = f"the first {_MOST_FOUND} found" if full else f"{len(entries)} found"
        self.count.setText(more if entries else "try another catalogue number, or a shorter part of the name")

    def _fill_offers(self, ranking: Ranking) -> None:
        empty = "it does not get dark tonight" if ranking.dark_h == 0 else "nothing fits: widen the limits"
        self.found.show_rows([row_of_offer(o) for o in ranking.offers], empty, self._shown_name())
        total = words.grouped(len(all_objects()))
        self.count.setText(f"{words.grouped(ranking.considered)} of {total} rise tonight")

    def _fill_shelf(self, typed: str) -> None:
        small = typed.casefold()
        framed = self._shelf.shelf.framed
        kept = [f for f in framed if any(small in text.casefold() for text in (f.name, *f.tags))]
        empty = "nothing like that" if typed else "frame a target, then keep it here"
        self.found.show_rows([row_of_framed(f) for f in kept], empty, self._shown_name())
        self.count.setText(self._shelf.problem or f"{len(framed)} on the shelf")

    def _spoken_words(self, typed: str) -> str:
        try:
            spoken = parse_spoken(typed, from_datetimes(self._session.now))
        except ValueError as problem:
            return str(problem)
        date = ", given for the equinox of date" if spoken.of_date else ""
        return f"{words.ra(spoken.ra_deg)} {words.dec(spoken.dec_deg)}{date}"

    # -- choosing -----------------------------------------------------------------------------------------

    def _entered_text(self) -> None:
        typed = self.search.text()
        if self.on_shelf or not looks_like_position(typed):
            self.found.choose(max(0, self.found.current))
            return
        try:
            spoken = parse_spoken(typed, from_datetimes(self._session.now))
        except ValueError as problem:
            self.count.setText(str(problem))
            return
        self.place_chosen.emit(spoken.ra_deg, spoken.dec_deg)

    def _chosen(self, what: DeepSkyObject | Framed) -> None:
        if isinstance(what, Framed):
            self.tags.setText(", ".join(what.tags))
            self.framed_chosen.emit(what)
        else:
            self.object_chosen.emit(what)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.found.step(step)
                place = self.found.row_rect(self.found.current).center()
                self._scroller.ensureVisible(0, int(place.y()), 0, ROW)
                return True
        return False

    # -- the shelf ----------------------------------------------------------------------------------------

    def _chosen_framed(self) -> Framed | None:
        what = self.found.current_row.what if self.found.current_row is not None else None
        return what if isinstance(what, Framed) else None

    def _take_off(self) -> None:
        what = self._chosen_framed()
        if what is not None:
            self._try(lambda: self._shelf.remove(what.id))

    def _tag(self) -> None:
        what = self._chosen_framed()
        tags = [t.strip() for t in self.tags.text().split(",") if t.strip()]
        if what is not None:
            self._try(lambda: self._shelf.tag(what.id, tags))

    def _try(self, do: Callable[[], None]) -> None:
        try:
            do()
        except ValueError as problem:
            self.count.setText(str(problem))

    def _choose_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Targets from a list",
            "",
            "Lists (*.csv *.txt)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.import_list(Path(name))

    def import_list(self, path: Path, columns: Mapping[str, str] | None = None) -> None:
        """Good rows are kept, the others named; columns that aren't understood are asked for."""
        try:
            text = path.read_text(encoding="utf-8-sig")
            read = from_csv(text, self._shelf.shelf.unused_id, columns)
            self._shelf.keep_all(read.framed)
        except ColumnsUnclear as problem:
            self.columns.ask(path, problem.have, problem.known, f"{path.name}: which column is which?")
            self.count.setText("")
            return
        except (OSError, ValueError) as problem:
            self.count.setText(f"{path.name}: {problem}")
            return
        said = [*read.left_out, *read.doubts]
        more = [f"… and {len(said) - _TOLD_ROWS} more"] if len(said) > _TOLD_ROWS else []
        self.count.setText("\n".join([f"{len(read.framed)} put on the shelf", *said[:_TOLD_ROWS], *more]))

    def _choose_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "The shelf as CSV",
            "shelf.csv",
            "Lists (*.csv)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if not name:
            return
        try:
            write_bytes(Path(name), to_csv(self._shelf.shelf).encode())
            self.count.setText(f"written to {Path(name).name}")
        except OSError as problem:
            self.count.setText(f"{name} can't be written: {problem.strerror}")
