"""One printed page in the preview."""

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from notcher.wording import tr


class Leaf(QWidget):
    """A page as a picture, turned into what the screen takes only where it is seen: a long solo has a hundred."""

    def __init__(self, width: int, height: int, pixels: bytes, said: tuple[int, int]) -> None:
        """pixels: three bytes each; said: its number, and how many there are."""
        super().__init__()
        # The image does not hold the bytes it shows.
        self._pixels = pixels
        self._image = QImage(pixels, width, height, width * 3, QImage.Format.Format_RGB888)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Page {k} of {n}", k=said[0], n=said[1]))

    def sizeHint(self) -> QSize:
        """A dot a pixel."""
        return self._image.size()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The part that is asked for."""
        if event is not None:
            QPainter(self).drawImage(event.rect(), self._image, event.rect())
