"""A part's fields, edited where they stand: made from the document's own description of them."""

from collections.abc import Callable
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from vigil.documents.rig.change import FieldAt, Path, bare, fields_of, may_be_empty, words_for
from vigil.documents.rig.mount import hour_angle_deg
from vigil.files.names import example_path
from vigil.ui.fields import BackMark, ValueField
from vigil.ui.pieces import Choice, OneLine, button, label, row, wrapped
from vigil.ui.rig import values
from vigil.ui.rigmodel import RigModel
from vigil.ui.theme import Size, set_styled

_FIELD_WIDTH, _UNIT_WIDTH, _INDENT = 86, 50, 8
_NONE = "none"


class FieldRow(QWidget):
    """One field: name, a mark with the way back where it differs from its default, the value, its unit."""

    def __init__(self, model: RigModel, path: Path, field: FieldAt, said: Callable[[str], None]) -> None:
        super().__init__()
        self._model, self.path, self.field = model, path, field
        self._said = said
        self._kind = bare(field.kind)
        name = OneLine("soft")
        name.say(field.shown.label)
        self.back = BackMark()
        self.back.setAccessibleName(f"{field.shown.label}: back to the default")
        self.back.clicked.connect(self._reset)
        self.input: QWidget = self._make_input()
        self.input.setAccessibleName(words_for(path))
        wide = not field.shown.unit
        text = isinstance(self.input, ValueField) and (self._kind is str or get_origin(self._kind) is list)
        if text:
            self.input.setMinimumWidth(_FIELD_WIDTH + _UNIT_WIDTH)
        else:
            self.input.setFixedWidth(_FIELD_WIDTH + (_UNIT_WIDTH + 4 if wide else 0))
        self.unit = label(field.shown.unit, "small")
        self.unit.setFixedWidth(_UNIT_WIDTH)
        if wide:
            self.unit.hide()  # never shown before it has a parent: it would be a window
        layout = row(name, self.back, self.input, self.unit, gap=4)
        layout.setStretch(0, 1)
        if text:
            layout.setStretch(2, 3)
        self.setLayout(layout)

    def _make_input(self) -> QWidget:
        options = self._options()
        if options is None:
            made = ValueField(words_for(self.path), self._typed, self._said)
            if self._kind is str:
                made.setProperty("role", "")
                made.setAlignment(Qt.AlignmentFlag.AlignLeft)
            if self.field.shown.help:
                made.setPlaceholderText("none" if may_be_empty(self.field.kind) else "")
            return made
        choice = Choice()
        choice.addItems(options)
        choice.activated.connect(lambda i: self._try(lambda: self._model.edit(self.path, self._chosen(i))))
        return choice

    def _options(self) -> list[str] | None:
        none = [_NONE] if may_be_empty(self.field.kind) else []
        if self._kind is bool:
            return ["yes", "no"]
        if get_origin(self._kind) is Literal:
            return none + [str(option) for option in get_args(self._kind)]
        names = self._names()
        return None if names is None else none + names

    def _names(self) -> list[str] | None:
        """Fields that name something else in the rig are chosen, not typed."""
        above = self._model.value(self.path[:-1])
        match self.path[-1]:
            case "focus_through" | "solve_through" | "reference":
                return [f.name for f in above.filters]
            case "in_use":
                return [s.name for s in above.sets]
            case "readout_mode":
                return [m.name for m in above.readout_modes]
            case "park":
                return [p.name for p in above.positions]
            case "position":
                mount = self._model.value(("mount",))
                return [p.name for p in mount.positions] if mount is not None else []
        return None

    def _chosen(self, index: int) -> Any:
        choice = self.input
        assert isinstance(choice, Choice)
        text = choice.itemText(index)
        if text == _NONE and may_be_empty(self.field.kind):
            return None
        return text == "yes" if self._kind is bool else text

    def _typed(self, text: str) -> None:
        self._model.edit(self.path, values.read(self.field, text))

    def _reset(self) -> None:
        self._try(lambda: self._model.reset(self.path))

    def _try(self, change: Callable[[], None]) -> None:
        try:
            change()
        except ValueError as problem:
            self._said(str(problem))
        else:
            self._said("")

    def refresh(self, deferred: set[Path]) -> None:
        """Show the value in force; one that waits for the night's end looks different and says so."""
        value = self._model.value(self.path)
        text = values.shown(self.field, value)
        waits = self.path in deferred
        if isinstance(self.input, ValueField):
            self.input.show_value(text)
            if not self.input.state or self.input.state == "waiting":
                set_styled(self.input, "state", "waiting" if waits else "")
        else:
            assert isinstance(self.input, Choice)
            self.input.setCurrentText(text or _NONE)
            set_styled(self.input, "state", "waiting" if waits else "")
        unit = self.field.shown.unit
        if waits:
            unit = "later"
        elif values.is_hour_angle(self.field) and value is not None:
            unit = f"min · {hour_angle_deg(value):.4g}°"
        self.unit.setText(unit)
        tip = "Waits for the night's end" if waits else self.field.shown.help
        self.input.setToolTip(tip or words_for(self.path))
        differs = self._model.differs(self.path)
        self.back.setEnabled(differs)
        default = values.shown(self.field, self.field.default) if self.field.has_default else ""
        self.back.setToolTip(f"Back to {default or 'none'}" if differs else "")


class Section(QWidget):
    """The fields of one model, sections for the models in it, and a chooser for each list of models."""

    def __init__(self, editor: "Editor", path: Path, model: BaseModel, indent: int = 0) -> None:
        super().__init__()
        self._editor, self.path = editor, path
        layout = QVBoxLayout(self)
        layout.setContentsMargins(indent, 0, 0, 0)
        layout.setSpacing(4)
        for name, field in fields_of(type(model)).items():
            here, kind = (*path, name), bare(field.kind)
            value = getattr(model, name)
            if isinstance(kind, type) and issubclass(kind, BaseModel):
                self._add_model(layout, here, field, value)
            elif get_origin(kind) is list and _model_in(kind) is not None:
                if name != "horizon":  # drawn, not listed
                    layout.addWidget(Members(editor, here, field, value))
            else:
                layout.addWidget(editor.row(here, field))
                if name == "pattern":
                    layout.addWidget(editor.example)

    def _add_model(self, layout: QVBoxLayout, path: Path, field: FieldAt, value: BaseModel | None) -> None:
        head = row(label(field.shown.label, "section"))
        head.addStretch(1)
        if may_be_empty(field.kind):
            made = self._editor.button("Remove" if value is not None else "Add", path)
            target = None if value is not None else bare(field.kind)().model_dump(mode="json")
            made.clicked.connect(lambda: self._editor.change(path, target))
            head.addWidget(made)
        layout.addLayout(head)
        if value is not None:
            layout.addWidget(Section(self._editor, path, value, _INDENT))


class Members(QWidget):
    """A list of models: choose one, add one like it, remove it; the chosen one's fields beneath."""

    def __init__(self, editor: "Editor", path: Path, field: FieldAt, members: list[BaseModel]) -> None:
        super().__init__()
        self._editor, self.path = editor, path
        editor.lists[path] = self
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(label(field.shown.label, "section"))
        self.choice = Choice()
        self.choice.setAccessibleName(words_for(path))
        self.choice.addItems([_member_name(member, n) for n, member in enumerate(members)])
        at = min(editor.shown_member(path), len(members) - 1)
        self.choice.setCurrentIndex(at)
        self.choice.activated.connect(lambda i: editor.show_member(path, i))
        self.add, self.remove = editor.button("Add", path), editor.button("Remove", path)
        self.add.clicked.connect(self._add)
        self.remove.clicked.connect(self._remove)
        self.remove.setEnabled(bool(members))
        head = row(self.choice, self.add, self.remove, gap=6)
        head.setStretch(0, 1)
        layout.addLayout(head)
        self._model = _model_in(bare(field.kind))
        if members and at >= 0:
            layout.addWidget(Section(editor, (*path, at), members[at], _INDENT))

    def _add(self) -> None:
        before = self._editor.model.value(self.path)
        at = len(before)
        like = before[-1].model_dump(mode="json") if before else _fresh(self._model)
        if "name" in like:
            like["name"] = _unused(like["name"], [m.name for m in before])
        for once in ("slot", "letter"):
            if once in like:
                like[once] = None if once == "slot" else ""
        if "gain" in like and "electrons_per_adu" in like:
            like["gain"] += 100
        self._editor.show_member(self.path, at, rebuild=False)
        self._editor.change(self.path, [*before, like])

    def _remove(self) -> None:
        before, at = self._editor.model.value(self.path), self.choice.currentIndex()
        self._editor.change(self.path, [m for n, m in enumerate(before) if n != at])


class Editor(QWidget):
    """All fields of a part of the rig; `said` tells what is wrong with what was typed."""

    said = pyqtSignal(str)
    rebuilt = pyqtSignal()

    def __init__(self, model: RigModel) -> None:
        super().__init__()
        self.model = model
        self.rows: dict[Path, FieldRow] = {}
        self.lists: dict[Path, Members] = {}
        self.set_all: dict[Path, QPushButton] = {}
        self.example = OneLine("soft", size=Size.SMALL)
        self.problem = wrapped("", "fault")
        self.problem.hide()
        self._shape: object = None
        self._members: dict[Path, int] = {}
        self._key = ""
        self._deferred: set[Path] = set()
        self._body: QWidget | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.problem)
        self._layout = layout
        self.said.connect(self._say)

    def show_part(self, key: str, deferred: set[Path]) -> None:
        """Show a part; nothing is built anew while only values change."""
        self._deferred = deferred
        part = getattr(self.model.rig, key)
        shape = (key, _shape_of(part), tuple(sorted(self._members.items(), key=str)))
        if key != self._key:
            self._say("")
        self._key = key
        if shape != self._shape:
            self._shape = shape
            self._rebuild(key, part)
        self.refresh()

    def _rebuild(self, key: str, part: BaseModel) -> None:
        focused = next((path for path, made in self.rows.items() if made.input.hasFocus()), None)
        if self._body is not None:
            self._layout.removeWidget(self._body)
            self._body.hide()
            self._body.deleteLater()
        self.rows, self.lists = {}, {}
        self.example = OneLine("soft", size=Size.SMALL)
        self._body = Section(self, (key,), part)
        self._layout.addWidget(self._body)
        self.rebuilt.emit()
        if focused in self.rows:
            self.rows[focused].input.setFocus()

    def refresh(self) -> None:
        for made in self.rows.values():
            made.refresh(self._deferred)
        if self._key == "frames":
            self.example.say(f"as {example_path(self.model.rig.frames.pattern)}")

    # -- for sections ---------------------------------------------------------------------------------

    def row(self, path: Path, field: FieldAt) -> QWidget:
        made = FieldRow(self.model, path, field, self.said.emit)
        self.rows[path] = made
        if len(path) < 3 or "filters" not in path or path[-1] in ("name", "slot", "letter", "swatch"):
            return made
        every = button("all", "plain", "Set this for all filters of the set")
        every.setAccessibleName(f"{field.shown.label}: set all")
        every.clicked.connect(lambda: self._set_all(path))
        self.set_all[path] = every
        layout: QHBoxLayout = row(made, every, gap=2)
        layout.setStretch(0, 1)
        both = QWidget()
        both.setLayout(layout)
        return both

    def button(self, text: str, path: Path) -> QPushButton:
        made = button(text, "small", f"{text} {words_for(path)}")
        made.setAccessibleName(f"{text}: {words_for(path)}")
        return made

    def shown_member(self, path: Path) -> int:
        return self._members.get(path, 0)

    def show_member(self, path: Path, index: int, rebuild: bool = True) -> None:
        self._members[path] = index
        if rebuild:
            self.show_part(self._key, self._deferred)

    def change(self, path: Path, value: Any) -> None:
        try:
            self.model.edit(path, value)
        except ValueError as problem:
            self._say(str(problem))
        else:
            self._say("")

    def _set_all(self, path: Path) -> None:
        """One value for every filter of the set: the field's own."""
        at = path.index("filters")
        value, count = self.model.value(path), len(self.model.value(path[: at + 1]))
        paths = [(*path[: at + 1], n, *path[at + 2 :]) for n in range(count)]
        try:
            self.model.edit_all(dict.fromkeys(paths, value), f"{words_for(path)} of all filters")
        except ValueError as problem:
            self._say(str(problem))

    def go_to(self, path: Path) -> bool:
        """Put the focus on a field, opening the lists on its way; False where it has none of its own."""
        for n, piece in enumerate(path):
            if isinstance(piece, int):
                self._members[path[:n]] = piece
        self.show_part(self._key, self._deferred)
        made = self.rows.get(path)
        if made is not None:
            made.input.setFocus()
        return made is not None

    def _say(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))


def _model_in(kind: Any) -> Any:
    inner = bare(get_args(kind)[0]) if get_args(kind) else None
    return inner if isinstance(inner, type) and issubclass(inner, BaseModel) else None


def _member_name(member: BaseModel, index: int) -> str:
    for name in ("name", "gain", "centre_nm"):
        if hasattr(member, name):
            value = getattr(member, name)
            return f"{name.removesuffix('_nm')} {value:g}" if isinstance(value, int | float) else str(value)
    return str(index + 1)


def _fresh(model: Any) -> dict[str, Any]:
    """Something to begin with where a list is empty."""
    return {"name": "new", "hour_angle_deg": 0.0, "dec_deg": 0.0} if model is not None else {}


def _unused(name: str, taken: list[str]) -> str:
    return next(f"{name} {n}" for n in range(2, 1000) if f"{name} {n}" not in taken)


def _shape_of(value: Any) -> Any:
    """What decides which fields there are, and what choices they offer."""
    if isinstance(value, BaseModel):
        return tuple((n, _shape_of(getattr(value, n))) for n in type(value).model_fields)
    if isinstance(value, list) and value and isinstance(value[0], BaseModel):
        return tuple((getattr(m, "name", ""), getattr(m, "gain", ""), _shape_of(m)) for m in value)
    return value is None if value is None or isinstance(value, BaseModel) else ""
