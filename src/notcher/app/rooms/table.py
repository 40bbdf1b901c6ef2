"""The rooms, in the order of the work: one row each. A new room is a folder beside this file and a row here."""

from notcher.app.rooms.collect.room import CollectRoom
from notcher.app.rooms.handout.room import HandOutRoom
from notcher.app.rooms.ids import COLLECT, HAND_OUT, NOTCH, PLACE, SOURCE, TEACH
from notcher.app.rooms.notch.room import NotchRoom
from notcher.app.rooms.place.room import PlaceRoom
from notcher.app.rooms.room import Room
from notcher.app.rooms.source.room import SourceRoom
from notcher.app.rooms.teach.room import TeachRoom

ROOMS: tuple[Room, ...] = (
    Room(SOURCE, "Source", "Ctrl+1", SourceRoom, overview=False),
    Room(NOTCH, "Notch", "Ctrl+2", NotchRoom, framed=True),
    Room(PLACE, "Place", "Ctrl+3", PlaceRoom),
    Room(TEACH, "Teach", "Ctrl+4", TeachRoom),
    Room(HAND_OUT, "Hand out", "Ctrl+5", HandOutRoom),
    Room(COLLECT, "Collect", "Ctrl+6", CollectRoom, overview=False),
)
