"""A workspace or bench with several pictures, one of which is seen."""

from collections.abc import Callable, Mapping, Sequence

from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vigil.ui.actions import Action
from vigil.ui.pieces import button, row
from vigil.ui.workspace import Workspace, page


class Viewed(Workspace):
    """Each of its pictures has a word to choose it by."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.views: dict[str, QPushButton] = {}
        self._pictures = QStackedWidget()

    def _lay_out_views(self, pictures: Mapping[str, QWidget], *below: QWidget) -> tuple[QWidget, QHBoxLayout]:
        """The middle of the bench: words over the pictures, one of which is seen; and the row of words."""
        group = QButtonGroup(self)
        for name, picture in pictures.items():
            choice = button(name, "plain")
            choice.setCheckable(True)
            choice.toggled.connect(lambda on, n=name: self.show_view(n) if on else None)
            group.addButton(choice)
            self.views[name] = choice
            self._pictures.addWidget(picture)
        words = row(*self.views.values(), gap=2)
        words.addStretch(1)
        self._pictures.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        main = page(words, self._pictures, *below, gap=6)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretchFactor(self._pictures, 1)
        return main, words

    @property
    def view(self) -> str:
        """The picture that is seen."""
        return list(self.views)[self._pictures.currentIndex()]

    def show_view(self, name: str) -> None:
        """One of the bench's pictures."""
        if not self.views[name].isChecked():
            self.views[name].setChecked(True)  # comes back here
            return
        self._pictures.setCurrentIndex(list(self.views).index(name))
        self._view_shown(name)
        self.show_anew()

    def _view_words(self, name: str) -> str:
        """How the command is called that shows a view."""
        return f"{self.name} bench: {name.casefold()}"

    def _view_shown(self, name: str) -> None:
        """What belongs to a view beside its picture."""

    def _actions_of(
        self,
        doing: Sequence[tuple[str, QPushButton, str]],
        hindrance: Callable[[], str] = lambda: "",
    ) -> list[Action]:
        """Each view, and what buttons do: in words, the button, and the view to show it in, if any."""

        def press(made: QPushButton, view: str) -> Callable[[], None]:
            def pressed() -> None:
                if view:
                    self.show_view(view)
                made.click()

            return pressed

        looks = [
            Action(self._view_words(name), lambda n=name: self.show_view(n))  # type: ignore[misc]
            for name in self.views
        ]
        return looks + [Action(words, press(made, view), "", hindrance) for words, made, view in doing]
