"""What stands beside the ledger's pictures: a column for each view."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QSizePolicy, QWidget

from vigil.documents.project import Project, goals_text
from vigil.files.names import example_path
from vigil.ledger.handover import USUAL_NAMING
from vigil.ledger.reading import NightRow
from vigil.planning.bestuse import BestUse
from vigil.planning.progress import Progress
from vigil.ui.caret import TextLine
from vigil.ui.fields import ValueField
from vigil.ui.ledger.projects import panel_rows
from vigil.ui.ledger.trends import CHOICES
from vigil.ui.pieces import Choice, Facts, ProgressBar, Told, button, column, label, row
from vigil.ui.tune.tools import left, whole
from vigil.ui.words import breakable

Say = Callable[[str], None]
_FIELD_PX = 64
_LIMITS = (("grown", "larger by", "%"), ("fewer", "fewer by", "%"), ("longer", "longer by", ""),
           ("brighter", "sky brighter", "%"), ("guide", "guiding over", "″"))  # fmt: skip


def _line(name: str, field: QWidget, unit: str = "", width: int = 84) -> QWidget:
    before = label(name, "soft")
    before.setFixedWidth(width)
    made = row(before, field, gap=6)
    if unit:
        made.addWidget(label(unit, "soft"))
    if field.maximumWidth() <= _FIELD_PX:
        made.addStretch(1)
    return whole(made)


def _under(name: str, field: QWidget) -> QWidget:
    """For what is long: the field has the whole width, its name over it."""
    return whole(column(label(name, "soft"), field, gap=2))


def _page(layout: QBoxLayout, page: QWidget) -> None:
    """A column that keeps to the top."""
    layout.addStretch(1)
    page.setLayout(layout)


def _choice(name: str, items: Sequence[str] = ()) -> Choice:
    """No wider than the column, whatever its words."""
    made = Choice()
    made.setAccessibleName(name)
    made.addItems(list(items))
    made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    return made


def _wide(name: str, apply: Callable[[str], None], say: Say) -> ValueField:
    made = ValueField(name, apply, say)
    made.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    return made


class ProjectTools(QWidget):
    """A project's figures and fields; and the form of a new one."""

    def __init__(self, set_value: Callable[[str, str], None], say: Say) -> None:
        super().__init__()
        self.name = label("", "title")
        self.name.setWordWrap(True)
        self.facts = Facts()
        self.panels = Facts()
        self.fields: dict[str, ValueField] = {}
        self._shown: dict[str, tuple[str, str]] = {}
        rows: list[QWidget] = []
        for key, words in (
            ("goal", "goal"),
            ("lines", "exposures"),
            ("target", "target"),
            ("rig", "rigs"),
            ("note", "note"),
        ):
            field = _wide(words, lambda text, k=key: set_value(k, text), say)
            self.fields[key] = field
            rows.append(_under(words, field) if key in ("goal", "lines") else _line(words, field))
        for key, words, unit in (("altitude", "above", "°"), ("set-point", "set-point", "°C")):
            field = ValueField(words, lambda text, k=key: set_value(k, text), say)
            field.setFixedWidth(_FIELD_PX)
            self.fields[key] = field
            rows.append(_line(words, field, unit))
        self.tonight = button("Tonight's best use", "", "Share the night out among the projects")
        self.hand = button("Hand over", "small", "Its kept lights with their calibration frames")
        self.pause = button("Pause", "small", "Leave it out of what nights are spent on")
        self.remove = button("Remove", "small", "The project; frames stay (undo restores it)")
        self.new = button("New project", "small", "Hours of one target over many nights", "Ctrl+Shift+J")
        self.chosen = QWidget()
        inner = column(self.name, self.facts, self.panels, *rows, gap=6)
        inner.addLayout(left(self.tonight))
        inner.addLayout(left(self.hand, self.pause, self.remove))
        self.chosen.setLayout(inner)
        self.form = NewProject()
        outer = column(self.chosen, self.form, gap=8)
        outer.addLayout(left(self.new))
        _page(outer, self)
        self.form.hide()

    def show_progress(self, progress: Progress | None) -> None:
        self.chosen.setVisible(progress is not None and not self.form.isVisibleTo(self))
        self.new.setVisible(not self.form.isVisibleTo(self))
        if progress is None:
            return
        project = progress.project
        self.name.setText(project.name)
        facts = [
            ("kept", f"{progress.kept_h:.1f} h"),
            ("taken", f"{progress.taken_h:.1f} h"),
            ("missing", f"{progress.missing_h:.1f} h"),
            ("nights so far", f"{progress.nights}"),
        ]
        if progress.recent_h:
            facts.append(("a night, recently", f"{progress.recent_h:.1f} h"))
        if progress.nights_needed is not None:
            facts.append(("nights needed", f"{progress.nights_needed}"))
        self.facts.show_facts(facts)
        self.panels.setVisible(bool(project.panels))
        self.panels.show_facts(panel_rows(progress)[:8] if project.panels else [])
        for key, text in values_of(project).items():
            # what is wrong in a field stays there until it is put right, or another project is chosen
            if self._shown.get(key) != (project.name, text):
                self._shown[key] = project.name, text
                self.fields[key].show_value(text)
        self.pause.setText("Resume" if project.paused else "Pause")


def values_of(project: Project) -> dict[str, str]:
    """The fields' texts."""
    return {
        "goal": goals_text(project.goals),
        "lines": "; ".join(line.words for line in project.lines),
        "target": project.target.name,
        "rig": ", ".join(project.rigs),
        "note": project.note,
        "altitude": f"{project.span.minimum_altitude_deg:g}",
        "set-point": "" if project.set_point_c is None else f"{project.set_point_c:g}".replace("-", "−"),
    }


class NewProject(QWidget):
    """What a project begins with."""

    def __init__(self) -> None:
        super().__init__()
        self.target, self.name, self.goal, self.lines = (TextLine() for _ in range(4))
        for field, words, hint in (
            (self.target, "Target of the new project", "a name, or a position"),
            (self.name, "Name of the new project", "as the target"),
            (self.goal, "Goal of the new project", "Ha 10 h; O3 8-12 h"),
            (self.lines, "Exposures of the new project", "Ha 300 s; O3 300 s"),
        ):
            field.setAccessibleName(words)
            field.setPlaceholderText(hint)
        self.make = button("Make it", "primary", "", "Return")
        self.cancel = button("Cancel", "small", "", "Esc")
        self.problem = Told("", "warn")
        layout = column(label("New project", "title"), gap=6)
        for words, field in (
            ("target", self.target),
            ("name", self.name),
            ("goal", self.goal),
            ("exposures", self.lines),
        ):
            layout.addWidget(_line(words, field))
        layout.addWidget(self.problem)
        layout.addLayout(left(self.make, self.cancel))
        self.setLayout(layout)
        for field in (self.target, self.name, self.goal, self.lines):
            field.returnPressed.connect(self.make.click)


class TonightTools(QWidget):
    """What the night comes to, and the plan."""

    def __init__(self) -> None:
        super().__init__()
        self.facts = Facts()
        self.words = Told("", "soft")
        self.into_plan = button(
            "Put into the plan", "primary", "In place of its blocks of the same targets (undo in Night)"
        )
        self.anew = button("Calculate again", "small")
        layout = column(label("Tonight's best use", "title"), self.facts, self.words, gap=8)
        layout.addLayout(left(self.into_plan, self.anew))
        _page(layout, self)

    def show_found(self, found: BestUse | None, plan_h: float | None, busy: bool) -> None:
        self.into_plan.setEnabled(busy or (found is not None and bool(found.stints)))
        if found is None:
            self.facts.show_facts([])
            self.words.setText("Reckoning …" if busy else "")
            return
        facts = [("this way", f"{found.useful_h:.1f} useful h")]
        if plan_h is not None:
            facts.append(("the plan as it is", f"{plan_h:.1f} useful h"))
        facts.append(("each moment's best", f"{found.useful_h_greedy:.1f} useful h"))
        self.facts.show_facts(facts)
        self.words.setText(
            "An hour counts in full in the zenith, without a moon, for what is missing most."
            + ("" if found.proven else " The search was ended by its time limit.")
        )


class LengthTools(QWidget):
    """What the curves say, in words."""

    def __init__(self) -> None:
        super().__init__()
        self.name = label("", "title")
        self.name.setWordWrap(True)
        self.words = Told("", "soft")
        self.key = Told(
            "Discs: as it is exposed now. Where a curve meets the dashed line longer frames gain little. "
            "Bars at the foot: the first star clips, and (the high one) more than one in a hundred, "
            "where the newest light's file is there to tell.",
            "soft",
        )
        _page(column(self.name, self.words, self.key, gap=10), self)

    def show_lengths(self, project: str, words: str) -> None:
        self.name.setText(project or "Exposure length")
        self.words.setText(words)


class FrameTools(QWidget):
    """Which lights are listed, and what is said of the chosen one."""

    def __init__(self, set_limit: Callable[[str, str], None], say: Say) -> None:
        super().__init__()
        self.standing = _choice("Which verdicts", ["doubtful", "rejected", "kept", "all lights"])
        self.whose = _choice("Which project")
        self.keep = button("Keep", "", "It counts, whatever its figures", "K")
        self.reject = button("Reject", "", "It doesn't count", "X")
        self.undo = button("As judged", "small", "Take one's own word back", "U")
        self.blink = button("Blink", "small", "Against the sharpest kept light of its series", "Space")
        self.facts = Facts()
        self.limits: dict[str, ValueField] = {}
        rows = []
        for key, words, unit in _LIMITS:
            field = ValueField(f"Doubtful when {words}", lambda text, k=key: set_limit(k, text), say)
            field.setFixedWidth(_FIELD_PX)
            self.limits[key] = field
            rows.append(_line(words, field, unit))
        self.limits_head = Told("", "soft")
        layout = column(label("Verdicts", "title"), _line("show", self.standing, width=52),
                        _line("of", self.whose, width=52), gap=6)  # fmt: skip
        layout.addLayout(left(self.keep, self.reject, self.undo, self.blink))
        layout.addWidget(self.facts)
        layout.addWidget(self.limits_head)
        for made in rows:
            layout.addWidget(made)
        _page(layout, self)

    def show_projects(self, names: Sequence[str]) -> None:
        before = self.whose.currentText()
        wanted = ["all projects", *names]
        if [self.whose.itemText(k) for k in range(self.whose.count())] != wanted:
            self.whose.clear()
            self.whose.addItems(wanted)
            self.whose.setCurrentText(before if before in wanted else wanted[0])

    def show_limits(self, project: Project | None) -> None:
        for key, name in (("grown", "grown_percent"), ("fewer", "fewer_percent"), ("longer", "longer"),
                          ("brighter", "brighter_percent"), ("guide", "guide_arcsec")):  # fmt: skip
            value = getattr(project.limits, name) if project is not None else None
            self.limits[key].show_value("" if value is None else f"{value:g}")
            self.limits[key].setEnabled(project is not None)
        self.limits_head.setText(
            "Choose a project to set its limits." if project is None else "Doubtful when stars or sky are"
        )


class TrendTools(QWidget):
    """Which course is shown."""

    def __init__(self) -> None:
        super().__init__()
        self.what = _choice("What is shown across nights", list(CHOICES))
        self.words = Told("Rejected lights are left out. Ctrl+C copies the figures.", "soft")
        self.health = Told("", "soft")
        _page(column(label("Across nights", "title"), self.what, self.words, self.health, gap=8), self)


class NightTools(QWidget):
    """A night's figures, and its report."""

    def __init__(self) -> None:
        super().__init__()
        self.name = label("", "title")
        self.facts = Facts()
        self.lost = Told("", "soft")
        self.folder = TextLine()
        self.folder.setAccessibleName("Folder for reports")
        self.page = button("Report as a page", "", "One HTML file, pictures and plots in it")
        self.pdf = button("as PDF", "small")
        self.text = button("as text", "small")
        self.frames = button("Its lights", "small", "With their verdicts")
        self.back_up = button("Back up", "small", "A whole copy of the ledger, into the same folder")
        self.look = button(
            "Look for files", "small", "Frames that were moved are found, others are said to be gone"
        )
        self.source = TextLine()
        self.source.setAccessibleName("Folder with frames from elsewhere")
        self.source.setPlaceholderText("a folder with lights (FITS)")
        self.take_in = button(
            "Import", "small", "Lights from elsewhere: read, measured, solved; duplicates are known"
        )
        self.stop = button("Stop", "small")
        self.bar = ProgressBar()
        layout = column(self.name, self.facts, self.lost, _line("into", self.folder, width=40), gap=8)
        layout.addLayout(left(self.page, self.pdf, self.text))
        layout.addLayout(left(self.frames))
        layout.addSpacing(12)
        layout.addWidget(label("The ledger itself", "title"))
        layout.addLayout(left(self.back_up, self.look))
        layout.addWidget(_line("from", self.source, width=40))
        layout.addLayout(left(self.take_in, self.stop))
        layout.addWidget(self.bar)
        _page(layout, self)

    def show_busy(self, busy: bool) -> None:
        """While frames are taken in."""
        self.take_in.setVisible(not busy)
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)

    def show_night(self, night: NightRow | None, lost: dict[str, float]) -> None:
        for made in (self.page, self.pdf, self.text, self.frames):
            made.setEnabled(night is not None)
        if night is None:
            self.name.setText("")
            self.facts.show_facts([])
            self.lost.setText("")
            return
        self.name.setText(f"{night.evening}, {night.rig}")
        self.facts.show_facts(
            [
                ("lights", f"{night.frames}"),
                ("kept", f"{night.kept_h:.1f} of {night.taken_h:.1f} h"),
                ("doubtful", f"{night.doubtful}"),
                ("rejected", f"{night.rejected}"),
            ]
        )
        told = [f"{seconds / 60:.0f} min lost: {cause}" for cause, seconds in lost.items() if seconds >= 60]
        self.lost.setText("\n".join(told[:5]) or "Nothing was lost.")


class HandoverTools(QWidget):
    """What is handed over, where to, under which names."""

    def __init__(self, say: Say) -> None:
        super().__init__()
        self._say = say
        self.whose = _choice("Whose lights are handed over")
        self.folder, self.naming = TextLine(), TextLine()
        self.folder.setAccessibleName("Folder to hand over to")
        self.naming.setAccessibleName("Names of the files")
        self.naming.setText(USUAL_NAMING)
        self.naming.setCursorPosition(0)
        self.example = Told("", "soft")
        self.how = _choice("Links or copies", ["links (take no room)", "copies"])
        self.doubtful = _choice("Which lights", ["kept lights", "kept and doubtful ones"])
        self.go = button("Hand over", "primary", "Into the folder, with a manifest (CSV)")
        self.stop = button("Stop", "small")
        self.bar = ProgressBar()
        self.words = Told("", "soft")
        layout = column(label("Hand over", "title"), gap=6)
        for words, field in (("of", self.whose), ("which", self.doubtful), ("into", self.folder)):
            layout.addWidget(_line(words, field, width=48))
        layout.addWidget(_under("names", self.naming))
        layout.addWidget(self.example)
        layout.addWidget(_line("as", self.how, width=48))
        layout.addLayout(left(self.go, self.stop))
        layout.addWidget(self.bar)
        layout.addWidget(self.words)
        _page(layout, self)
        self.naming.textChanged.connect(self._show_example)
        self._show_example()

    def _show_example(self) -> None:
        try:
            self.example.setText(breakable(example_path(self.naming.text())))
        except ValueError as problem:
            self.example.setText(str(problem))

    @property
    def wanted_folder(self) -> Path | None:
        text = self.folder.text().strip()
        return Path(text).expanduser() if text else None

    def show_projects(self, names: Sequence[str]) -> None:
        before = self.whose.currentText()
        if [self.whose.itemText(k) for k in range(self.whose.count())] != list(names):
            self.whose.clear()
            self.whose.addItems(list(names))
            if before in names:
                self.whose.setCurrentText(before)

    def show_busy(self, busy: bool, share: float | None) -> None:
        self.go.setVisible(not busy)
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)
        self.bar.show_share(share)
