"""The one time axis that every view of the recording shares: which seconds are in view."""

from PyQt6.QtCore import QObject, pyqtSignal

NARROWEST_S = 0.4
_USUAL_S = 6.5


class TimeAxis(QObject):
    """Start and span of what is in view, in seconds. Zooming keeps a time where it is on screen."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.duration = 0.0
        self.start = 0.0
        self.span = _USUAL_S

    @property
    def end(self) -> float:
        """Seconds at the right edge."""
        return self.start + self.span

    def set_duration(self, duration: float) -> None:
        """Take another recording's length and show its beginning."""
        self.duration = duration
        self._show(0.0, min(_USUAL_S, max(duration, NARROWEST_S)))

    def zoom(self, factor: float, *, at: float) -> None:
        """Show `factor` times as much time; the time `at` stays where it is on screen."""
        span = self._within(self.span * factor)
        share = (at - self.start) / self.span
        self._show(at - share * span, span)

    def scroll(self, seconds: float) -> None:
        """Move the view along."""
        self._show(self.start + seconds, self.span)

    def show_range(self, start: float, end: float, *, margin: float = 0.06) -> None:
        """Zoom to a stretch, with some margin on both sides."""
        room = (end - start) * margin
        self._show(start - room, self._within(end - start + 2 * room))

    def reveal(self, time: float, *, lead: float = 0.12) -> None:
        """Turn the page when a time is out of view: it then stands near the left edge."""
        if not self.start <= time <= self.end - 0.02 * self.span:
            self._show(time - lead * self.span, self.span)

    def reveal_range(self, start: float, end: float) -> None:
        """Bring a short stretch into view with as little movement as needed."""
        if start < self.start or end > self.end:
            self._show((start + end - self.span) / 2, self.span)

    def _within(self, span: float) -> float:
        return min(max(span, NARROWEST_S), max(self.duration * 1.02, NARROWEST_S))

    def _show(self, start: float, span: float) -> None:
        latest = max(0.0, self.duration * 1.02 - span)
        start = min(max(0.0, start), latest)
        if (start, span) != (self.start, self.span):
            self.start, self.span = start, span
            self.changed.emit()
