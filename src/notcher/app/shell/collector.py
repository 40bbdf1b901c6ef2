"""Garbage is collected on the interface's thread alone.

Python's collector runs in whatever thread happens to make the next object, and may there take apart widgets that nobody
needs any more; Qt allows that on the interface's thread only, and may crash elsewhere. While a window is there, the
collector rests, and a timer does its work.
"""

import gc

from PyQt6.QtCore import QObject, QTimer

_EVERY_MS = 400


class Collector(QObject):
    """Of one window; the last that ends gives the collector back."""

    _windows = 0

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._ended = False
        Collector._windows += 1
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        """Collect what has grown old enough, by the collector's own thresholds, the oldest that is due."""
        counts, limits = gc.get_count(), gc.get_threshold()
        for generation in (2, 1, 0):
            if limits[generation] and counts[generation] > limits[generation]:
                gc.collect(generation)
                return

    def end(self) -> None:
        """The window goes."""
        if self._ended:
            return
        self._ended = True
        self._timer.stop()
        Collector._windows -= 1
        if Collector._windows == 0:
            gc.enable()
