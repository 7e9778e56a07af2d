"""Several rigs: choose one, make one, rename, compare, exchange, delete."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from vigil.documents.rig.rigs import Entry, RigsError
from vigil.documents.store import DocumentError, save
from vigil.planning.fromdevices import rig_of_what_is_connected
from vigil.ui.caret import TextLine
from vigil.ui.pieces import Choice, OneLine, button, label, row
from vigil.ui.session import Session

_BLANK, _CONNECTED = "a blank", "what is connected now"


class RigsRow(QWidget):
    """`compare` asks for the comparison; `delete` for leave to delete, with what to call once it is given."""

    compare = pyqtSignal()
    delete = pyqtSignal(str, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._entries: list[Entry] = []
        self._then: Callable[[str], None] = lambda name: None
        self.choice = Choice()
        self.choice.setAccessibleName("Rig")
        self.choice.setToolTip("All rigs: choose another one")
        self.choice.setMinimumWidth(150)
        self.choice.activated.connect(self._choose)
        self.new = button("New …", "small", "A new rig: blank, a copy, an example, what is connected")
        self.rename = button("Rename …", "small", "Another name for this rig")
        self.compare_with = button("Compare", "small", "This rig beside another one, differences marked")
        self.bring = button("Import …", "small", "A rig from a file")
        self.export = button("Export …", "small", "One file with all of this rig")
        self.remove = button("Delete …", "small", "Delete this rig; it can be restored")
        self.new.clicked.connect(self._ask_new)
        self.rename.clicked.connect(self._ask_name)
        self.compare_with.clicked.connect(self.compare)
        self.bring.clicked.connect(self._choose_import)
        self.export.clicked.connect(self._choose_export)
        self.remove.clicked.connect(self._ask_delete)
        self.come_from, self.name = Choice(), TextLine()
        self.come_from.setAccessibleName("New rig from")
        self.come_from.activated.connect(lambda _: self._suggest())
        self.name.setAccessibleName("Name of the rig")
        self.name.setMinimumWidth(180)
        self.name.returnPressed.connect(self._named)
        self.make, self.leave = button("Make", "primary"), button("Cancel", "plain", "", "Esc")
        self.make.clicked.connect(self._named)
        self.leave.clicked.connect(self._close_naming)
        self.told = OneLine("soft")
        self.told.hide()
        buttons = (self.new, self.rename, self.compare_with, self.bring, self.export, self.remove)
        line = row(self.choice, *buttons, gap=6)
        line.addStretch(1)
        self._naming = QWidget()
        self._from_label = label("from", "soft")
        self._naming.setLayout(row(self._from_label, self.come_from, label("named", "soft"), self.name))
        naming = self._naming.layout()
        assert naming is not None
        naming.addWidget(self.make)
        naming.addWidget(self.leave)
        self._naming.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(line)
        layout.addWidget(self._naming)
        layout.addWidget(self.told)
        self.refresh()

    def refresh(self) -> None:
        """Fill the chooser; a rig that can't be used says why."""
        rigs = self._session.rigs
        self._entries = rigs.entries() if rigs else []
        self.choice.clear()
        for entry in self._entries:
            words = entry.rig.name if entry.rig else f"{entry.id}: can't be used"
            self.choice.addItem(f"{words} (example)" if entry.example else words)
            if entry.problem:
                self.choice.setItemData(self.choice.count() - 1, entry.problem, Qt.ItemDataRole.ToolTipRole)
        for gone in rigs.deleted() if rigs else []:
            self.choice.addItem(f"restore {gone}")
        ids = [entry.id for entry in self._entries]
        if self._session.rig.id not in ids:
            self.choice.addItem(self._session.rig.name)
            self.choice.setCurrentIndex(self.choice.count() - 1)
        else:
            self.choice.setCurrentIndex(ids.index(self._session.rig.id))
        self.choice.setEnabled(bool(rigs))
        for made in (self.new, self.bring, self.remove):
            made.setEnabled(bool(rigs))

    def say(self, text: str, role: str = "soft") -> None:
        self.told.say(text, role)
        self.told.setVisible(bool(text))

    def _choose(self, index: int) -> None:
        rigs = self._session.rigs
        if rigs is None or index >= self.choice.count():
            return
        text = self.choice.itemText(index)
        if text.startswith("restore "):
            rig_id = text.removeprefix("restore ")
            self._try(lambda: self._session.another_rig.emit(rigs.restore(rig_id).id))
        elif index < len(self._entries) and self._entries[index].rig is None:
            self.say(self._entries[index].problem, "fault")
            self.refresh()
        elif index < len(self._entries) and self._entries[index].id != self._session.rig.id:
            self._session.another_rig.emit(self._entries[index].id)

    # -- naming, in place -----------------------------------------------------------------------------

    def _ask_new(self) -> None:
        self.come_from.clear()
        names = [e.rig.name for e in self._entries if e.rig is not None]
        self.come_from.addItems([*dict.fromkeys([self._session.rig.name, *names]), _BLANK, _CONNECTED])
        self._open_naming("Make", True, self._make_new)
        self._suggest()

    def _ask_name(self) -> None:
        self._open_naming("Rename", False, lambda name: self._session.edits.edit(("name",), name))
        self.name.setText(self._session.rig.name)

    def _open_naming(self, does: str, comes_from: bool, then: Callable[[str], None]) -> None:
        self._then = then
        self.make.setText(does)
        self.come_from.setVisible(comes_from)
        self._from_label.setVisible(comes_from)
        self._naming.show()
        self.name.setFocus()
        self.name.selectAll()

    def _suggest(self) -> None:
        source = self.come_from.currentText()
        self.name.setText("New rig" if source in (_BLANK, _CONNECTED) else f"{source} copy")
        self.name.selectAll()

    def _close_naming(self) -> None:
        self._naming.hide()
        self.say("")
        self.choice.setFocus()

    def _named(self) -> None:
        name = self.name.text().strip()
        if not name:
            self.say("a name is needed", "fault")
            return
        if self._try(lambda: self._then(name)):
            self._naming.hide()
            self.refresh()

    def _make_new(self, name: str) -> None:
        rigs, session = self._session.rigs, self._session
        assert rigs is not None
        source = self.come_from.currentText()
        if source == _BLANK:
            made = rigs.blank(name, session.rig.site)
        elif source == _CONNECTED:
            made = rigs.copy(rig_of_what_is_connected(session.rig, session.reports), name)
        else:
            found = next((e.rig for e in self._entries if e.rig and e.rig.name == source), session.rig)
            made = rigs.copy(found, name)
        session.another_rig.emit(made.id)

    # -- files ----------------------------------------------------------------------------------------

    def _choose_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Import a rig", "", "Rigs (*.json);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if name:
            self.import_file(Path(name))

    def import_file(self, path: Path) -> None:
        """Take a rig over from a file; a damaged one is refused with line and field."""
        rigs = self._session.rigs
        if rigs is not None:
            self._try(lambda: self._session.another_rig.emit(rigs.import_file(path).id))

    def _choose_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Export this rig", f"{self._session.rig.id}.json", "Rigs (*.json)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if name:
            self.export_to(Path(name))

    def export_to(self, path: Path) -> None:
        """Write all of this rig to a file."""
        if self._try(lambda: save(self._session.rig, path)):
            self.say(f"written to {path}")

    def _ask_delete(self) -> None:
        rig, rigs = self._session.rig, self._session.rigs
        if rigs is None:
            return
        if not rigs.own_path(rig.id).exists():
            self.say(f"{rig.name} is an example that ships with Vigil: it can't be deleted", "fault")
            return
        self.delete.emit(_what_is_lost(self._session), self._delete)

    def _delete(self) -> None:
        rigs, rig = self._session.rigs, self._session.rig
        assert rigs is not None
        if self._try(lambda: rigs.delete(rig.id)):
            left = next(e.id for e in rigs.entries() if e.rig is not None)
            self._session.another_rig.emit(left)

    def _try(self, change: Callable[[], object]) -> bool:
        try:
            change()
        except (RigsError, DocumentError, ValueError) as problem:
            self.say(str(problem), "fault")
            return False
        except OSError as problem:
            self.say(f"{problem.filename}: {problem.strerror or problem}", "fault")
            return False
        self.say("")
        return True

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self._naming.isVisible():
            self._close_naming()
            return
        super().keyPressEvent(event)


def _what_is_lost(session: Session) -> str:
    rig = session.rig
    filters = len(rig.wheel.sets) if rig.wheel else 0
    said = [f"{len(rig.device_names)} devices"]
    said += [f"{filters} filter set{'s' if filters > 1 else ''}"] if filters else []
    said += [f"a horizon of {len(rig.site.horizon)} points"] if rig.site.horizon else []
    return (
        f"{rig.name} with {', '.join(said)} is lost from the list. Its frames and its ledger stay, and "
        "the list of rigs offers to restore it."
    )
