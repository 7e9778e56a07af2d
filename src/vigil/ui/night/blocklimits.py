"""A block's limits of its own, in place of the plan's."""

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from vigil.documents.conditions import KNOWN
from vigil.documents.plan import WHOLE_NIGHT
from vigil.ui.night.orderfields import OrderField
from vigil.ui.pieces import button, label, row
from vigil.ui.session import Session


class BlockLimits(QWidget):
    """The fields are made when they are first asked for: most blocks have no limits of their own."""

    def __init__(self, session: Session, block_id: str, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._block_id, self._said = session, block_id, said
        self.fields: list[OrderField] = []
        self.more = button("Limits of its own…", "plain", "Standing orders for this block alone")
        self.more.setCheckable(True)
        self.more.toggled.connect(self._unfold)
        self._area = QWidget()
        self._inner = QVBoxLayout(self._area)
        self._inner.setContentsMargins(8, 0, 0, 4)
        self._inner.setSpacing(3)
        self._area.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        head = row(self.more, gap=0)
        head.addStretch(1)
        layout.addLayout(head)
        layout.addWidget(self._area)

    def _unfold(self, on: bool) -> None:
        if on and not self.fields:
            self._make()
        self._area.setVisible(on)

    def _make(self) -> None:
        for known in KNOWN:
            names = [name for name in known.orders if name not in WHOLE_NIGHT]
            if not names or not known.wanted(self._session.rig):
                continue
            self._inner.addWidget(label(known.name, "small"))
            for name in names:
                field = OrderField(self._session, name, self._said, self._block_id)
                self.fields.append(field)
                self._inner.addWidget(field)
        self.refresh(bool(self._session.plan.locked))

    def refresh(self, locked: bool) -> None:
        for field in self.fields:
            field.refresh(locked)
