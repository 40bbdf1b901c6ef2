"""How large a view may be: no larger than its window, and that no larger than its screen. What needs more scrolls."""

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

USUAL = QSize(1280, 800)
LEAST = QSize(960, 600)
# Pixels of a screen that the window manager takes for its frame and title, about.
_FRAME = QSize(8, 36)
# Of a room, at most, for panels under a view that could do with more.
_SHARE = 0.42


def first_size(screen: QSize) -> QSize:
    """The size of a window as it opens on a screen that has so much room."""
    return USUAL.boundedTo(screen - _FRAME).expandedTo(LEAST.boundedTo(screen))


class Fitted(QScrollArea):
    """A view that asks for no room of its own: where it has less than it needs at least, it scrolls."""

    def __init__(self, view: QWidget) -> None:
        super().__init__()
        # Qt's own resizing would give words that wrap their best height, not their least.
        self.setWidgetResizable(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(view)
        view.installEventFilter(self)

    def minimumSizeHint(self) -> QSize:
        return QSize(1, 1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.widget() and event is not None and event.type() == QEvent.Type.LayoutRequest:
            self._fit()
        return super().eventFilter(watched, event)

    def _fit(self) -> None:
        view, port = self.widget(), self.viewport()
        if view is None or port is None:
            return
        width = max(port.width(), view.minimumSizeHint().width())
        view.resize(width, max(port.height(), least_height(view, width)))


def least_height(view: QWidget, width: int) -> int:
    """The height below which a view of a width cannot be whole."""
    layout = view.layout()
    if layout is not None and layout.hasHeightForWidth():
        return layout.minimumHeightForWidth(width)
    return max(view.minimumSizeHint().height(), view.minimumHeight())


class Shared(Fitted):
    """Panels under a view, one below the other: as high as they like where there is room, and else they share what the
    view leaves, and scroll. The one that was opened last is in view. least: pixels that they have in any case."""

    def __init__(self, least: int = 64) -> None:
        self._least = least
        self._greedy: list[QWidget] = []
        self._latest: QWidget | None = None
        self._inside = QWidget()
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        super().__init__(self._inside)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.hide()
        # Whoever scrolls decides what is in view.
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.actionTriggered.connect(lambda _: self._look_for(None))

    def add(self, panel: QWidget, stretch: int = 0) -> None:
        """One more panel, under the others. stretch: of one that takes all the room there is."""
        self._column.addWidget(panel, stretch)
        if stretch:
            self._greedy.append(panel)
        panel.installEventFilter(self)
        self._follow()

    @property
    def panels(self) -> list[QWidget]:
        """All of them, from above."""
        found = [self._column.itemAt(k) for k in range(self._column.count())]
        return [w for item in found if item is not None and (w := item.widget()) is not None]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        kind = event.type() if event is not None else QEvent.Type.None_
        if watched is self.parentWidget() and kind == QEvent.Type.Resize:
            self.updateGeometry()
        if kind in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent):
            self._follow()
        if kind == QEvent.Type.Show and isinstance(watched, QWidget) and watched in self.panels:
            self._look_for(watched)
        if watched is self._latest and kind in (QEvent.Type.Show, QEvent.Type.Move, QEvent.Type.Resize):
            # Once it has its place.
            QTimer.singleShot(0, self._reveal)
        if kind == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)

    def _look_for(self, panel: QWidget | None) -> None:
        self._latest = panel

    def _reveal(self) -> None:
        """The panel that was opened last is in view: whole, or from its head on where there is less room."""
        panel, bar = self._latest, self.verticalScrollBar()
        if panel is None or bar is None or panel.isHidden():
            return
        self.ensureWidgetVisible(panel, 0, 0)
        bar.setValue(min(bar.value(), panel.y()))

    def _follow(self) -> None:
        self.setVisible(any(not panel.isHidden() for panel in self.panels))
        greedy = any(not panel.isHidden() for panel in self._greedy)
        upright = QSizePolicy.Policy.Expanding if greedy else QSizePolicy.Policy.Maximum
        self.setSizePolicy(QSizePolicy.Policy.Preferred, upright)
        self.updateGeometry()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        above = self.parentWidget()
        if event is not None and event.type() == QEvent.Type.ParentChange and above is not None:
            above.installEventFilter(self)

    def sizeHint(self) -> QSize:
        wanted, above = self._column.sizeHint().height(), self.parentWidget()
        if above is not None and above.height() > 0:
            wanted = min(wanted, max(self._least, round(_SHARE * above.height())))
        return QSize(super().sizeHint().width(), wanted)

    def minimumSizeHint(self) -> QSize:
        return QSize(1, min(self._least, self._column.minimumSize().height()))
