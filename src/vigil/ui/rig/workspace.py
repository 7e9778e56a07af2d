"""Rig, first version: the train and its numbers to look at; editing and use by hand come next."""

import shutil
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from vigil.planning.rignumbers import rig_numbers
from vigil.ui.linkstate import LinkState
from vigil.ui.pieces import Facts, OneLine, button, label, row, wrapped
from vigil.ui.rig.horizon import Horizon
from vigil.ui.rig.numbers import Numbers
from vigil.ui.rig.parts import IN_THE_TRAIN, Part, parts_of
from vigil.ui.rig.train import Train
from vigil.ui.session import Session
from vigil.ui.workspace import Workspace, page, side

_MOST_WRONG = 4


class RigWorkspace(Workspace):
    """What the rig is, what follows from it, what is wrong with it tonight."""

    def __init__(self, session: Session) -> None:
        super().__init__("Rig")
        self._session = session
        self.parts: list[Part] = parts_of(session.rig)
        self.train = Train(session.rig, self.parts)
        self.numbers = Numbers()
        self.horizon = Horizon(session)
        self.beside = {
            part.key: button("", "", part.name) for part in self.parts if part.key not in IN_THE_TRAIN
        }
        beside: QHBoxLayout = row(*self.beside.values())
        beside.addStretch(1)
        self.wrong = [OneLine("warn") for _ in range(_MOST_WRONG)]
        self.quiet = wrapped("nothing contradicts tonight's plan", "small")
        title = label(session.rig.name, "head")
        about = OneLine("soft")
        about.say(f"{session.rig.telescope.name} · {session.rig.camera.name} · {session.rig.mount.name}")
        muster = QVBoxLayout()
        muster.setSpacing(2)
        muster.addWidget(self.quiet)
        for line in self.wrong:
            muster.addWidget(line)
        main = page(
            title,
            about,
            self.train,
            label("Beside the train", "section"),
            beside,
            label("What follows", "section"),
            self.numbers,
            label("Against tonight's plan", "section"),
            muster,
            gap=4,
        )
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.addStretch(1)
        self.part_title, self.part_name = label("", "head"), wrapped()
        self.lamp = wrapped("", "small")
        self.facts = Facts()
        inspector = side(
            self.part_title,
            self.part_name,
            self.lamp,
            self.facts,
            label(f"Horizon, {session.rig.site.name}", "section"),
            self.horizon,
            stretch=False,
        )
        inspector_layout = inspector.layout()
        assert isinstance(inspector_layout, QVBoxLayout)
        inspector_layout.setStretch(inspector_layout.count() - 1, 1)
        self.build(main, inspector)
        self.train.chosen.connect(self.choose)
        for key, made in self.beside.items():
            made.setCheckable(True)
            made.clicked.connect(lambda _=False, key=key: self.choose(key))
        session.plan.changed.connect(self.refresh)
        session.status_changed.connect(self.refresh)
        session.link_changed.connect(self.refresh)
        self.choose("telescope")
        self._count_room()

    def choose(self, key: str) -> None:
        """Show a part in the inspector."""
        self._current = next(part for part in self.parts if part.key == key)
        self.train.choose(key)
        self.refresh()

    def refresh(self) -> None:
        part = self._current
        self.part_title.setText(part.title.capitalize())
        self.part_name.setText(part.name)
        self.facts.show_facts(list(part.facts))
        state = self._lamp(part)
        self.lamp.setText(state)
        self.lamp.setVisible(bool(state))
        for other in self.parts:
            if other.key in self.beside:
                made = self.beside[other.key]
                told = self._lamp(other)
                made.setText(" · ".join(x for x in (other.title, other.brief, told) if x))
                made.setChecked(other.key == part.key)
        wrong = self._session.plan.contradictions()
        self.quiet.setVisible(not wrong)
        for line, said in zip(self.wrong, [*wrong, *[""] * _MOST_WRONG], strict=False):
            line.say(said)
            line.setVisible(bool(said))

    def _lamp(self, part: Part) -> str:
        status = self._session.status
        if not part.device:
            return ""
        if status is None or self._session.link is not LinkState.OPEN:
            return "unknown: no keeper"
        return status.devices.get(part.device, "not part of the keeper's rig")

    def _count_room(self) -> None:
        free = shutil.disk_usage(Path.home()).free
        self.numbers.show_numbers(rig_numbers(self._session.rig, free_bytes=free))
