"""Plays any of a few sources over one time axis, looped and at any pace, for a sound device that pulls blocks.

The device's thread calls `pull`; a worker thread stretches a little ahead. Nothing here knows a device or Qt.
"""

import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.audio.stretch import stretch
from notcher.audio.tone import click

Source = Callable[[float, float], FloatArray]
"""Samples shape (channels, n) between two times in seconds."""

_AHEAD_S = 0.9
_FIRST_S = 0.4
_CHUNK_S = 0.8
_CONTEXT_S = 0.12
_FADE = 441
_ALIGN = 330
# Half steps by which playback is moved at most, and cents beside them.
MOST_SHIFT = 12
_MOST_CENTS = 100 * MOST_SHIFT + 100
_CLICK_S = 0.05


@dataclass(frozen=True, slots=True)
class Click:
    """A click at a time in seconds of the recording, which may lie before its beginning. strength: 2 for the first of a
    bar, 1 for a beat, 0 for a part of one."""

    time: float
    strength: int


Clicks = Callable[[float, float], Sequence[Click]]
"""The clicks from a time in seconds up to another."""


@dataclass(slots=True)
class _Chunk:
    """Stretched sound, shape (2, n), and the time in the recording at its first and last sample; whether a round of the
    loop begins or ends with it."""

    sound: FloatArray
    start: float
    end: float
    used: int = 0
    begins: bool = False
    ends: bool = False

    def time(self) -> float:
        return self.start + (self.end - self.start) * float(self.used) / max(1, int(self.sound.shape[1]))


class Player:
    """One transport: position, loop, pace and source, all changeable while it plays."""

    def __init__(self) -> None:
        self._lock = threading.Condition()
        self._sources: dict[str, Source] = {}
        self._source = ""
        self._duration = 0.0
        self._pace = 1.0
        self._cents = 0.0
        self._beside = np.zeros(0, np.float32)
        self._clicks: Clicks | None = None
        self._breath: tuple[Click, ...] = ()
        self._breath_sounds = True
        # What is left of a count after playing began, for the first time through.
        self._counted: tuple[Click, ...] = ()
        self._loop: tuple[float, float] | None = None
        self._playing = False
        self._position = 0.0
        self._chunks: deque[_Chunk] = deque()
        self._next = 0.0
        self._generation = 0
        self._tail: FloatArray | None = None
        self._first = _FIRST_S
        self._fresh = True
        self._gain = 0.8
        self._closed = False
        self._ended = False
        self._failure: Exception | None = None
        # Of so many rounds how many are over, None for no end; what was pulled since playing began, and where rounds
        # began and ended in it, in samples.
        self._rounds: int | None = None
        self._over = 0
        self._pulled = 0
        self._turns: list[tuple[str, int]] = []
        self._worker = threading.Thread(target=self._work, name="notcher-player", daemon=True)
        self._worker.start()

    # -- what the person sets ------------------------------------------------------------------------------------

    def set_sources(self, sources: dict[str, Source], *, duration: float) -> None:
        """Replace the sources by name; the chosen one stays if it is still there, else the first is chosen."""
        with self._lock:
            self._sources, self._duration = dict(sources), duration
            if self._source not in self._sources:
                self._source = next(iter(self._sources), "")
            self._renew()

    @property
    def sources(self) -> tuple[str, ...]:
        """Names that can be chosen."""
        return tuple(self._sources)

    @property
    def source(self) -> str:
        """The chosen source's name, '' without any."""
        return self._source

    def choose(self, source: str) -> None:
        """Switch between sources at the same position, while playing too. Raises KeyError for an unknown one."""
        with self._lock:
            if source not in self._sources:
                raise KeyError(source)
            if source != self._source:
                self._source = source
                self._renew()

    def refresh(self, source: str) -> None:
        """Say that a source's content changed (an edited tab); what was made ahead of it is made again."""
        with self._lock:
            if source == self._source:
                self._renew()

    @property
    def pace(self) -> float:
        """Speed against the recording; 1.0 is as recorded."""
        return self._pace

    def set_pace(self, pace: float) -> None:
        """Change the speed, while playing too. Raises ValueError unless 0.1 <= pace <= 2."""
        if not 0.1 <= pace <= 2.0:
            raise ValueError(f"the pace goes from 0.1 to 2, got {pace}")
        with self._lock:
            if pace != self._pace:
                self._pace = pace
                self._renew()

    @property
    def cents(self) -> float:
        """How far everything is raised, in cents; 0 is as recorded."""
        return self._cents

    def set_cents(self, cents: float) -> None:
        """Raise or lower everything, while playing too. Raises ValueError beyond an octave and a half step."""
        if not abs(cents) <= _MOST_CENTS:
            raise ValueError(f"playback is moved by {_MOST_CENTS} cents at most, got {cents}")
        with self._lock:
            if cents != self._cents:
                self._cents = cents
                self._renew()

    def set_clicks(self, clicks: Clicks | None) -> None:
        """Click along with what plays, or not."""
        with self._lock:
            self._clicks = clicks
            self._renew()

    def set_breath(self, clicks: Sequence[Click], *, sounds: bool) -> None:
        """The beats before the loop's start that pass between its rounds, none for none; whether they are heard."""
        with self._lock:
            self._breath, self._breath_sounds = tuple(clicks), sounds

    @property
    def loop(self) -> tuple[float, float] | None:
        """What is repeated, in seconds, or None."""
        return self._loop

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Repeat a stretch (at least 50 ms), or nothing. Playing goes into it at once if it lies outside."""
        with self._lock:
            if loop is not None:
                start, end = max(0.0, min(loop)), min(max(loop), self._duration or max(loop))
                loop = (start, end) if end - start >= 0.05 else None
            if loop == self._loop:
                return
            self._loop = loop
            if loop and not loop[0] <= self._position < loop[1]:
                self._position = loop[0]
            self._renew()

    @property
    def gain(self) -> float:
        """0 (silent) to 1."""
        return self._gain

    def set_gain(self, gain: float) -> None:
        """Loudness, 0 to 1."""
        self._gain = min(1.0, max(0.0, gain))

    @property
    def position(self) -> float:
        """Seconds in the recording."""
        with self._lock:
            return self._chunks[0].time() if self._playing and self._chunks else self._position

    @property
    def playing(self) -> bool:
        """Whether sound is running."""
        return self._playing

    def seek(self, time: float) -> None:
        """Go to a time in seconds."""
        with self._lock:
            self._position = min(max(0.0, time), self._duration)
            self._renew(keep_sound=False)

    def play(self, *, count_in: Sequence[Click] = (), rounds: int | None = None) -> None:
        """Start. Clicks that lie before the position come first, at the chosen pace; others as it plays on. rounds: of
        the loop, after which it stops; None for no end."""
        with self._lock:
            if not self._sources or self._playing:
                return
            if self._loop and not self._loop[0] <= self._position < self._loop[1]:
                self._position = self._loop[0]
            if not self._loop and self._position >= self._duration - 0.01:
                self._position = 0.0
            self._playing, self._ended = True, False
            self._rounds, self._over, self._pulled, self._turns = rounds, 0, 0, []
            self._renew(keep_sound=False)
            before = [c for c in count_in if c.time < self._position - 1e-6]
            self._counted = tuple(c for c in count_in if c.time >= self._position - 1e-6)
            if before:
                self._chunks.append(self._before(before, self._position, heard=True))

    def pause(self) -> None:
        """Stop where it is."""
        with self._lock:
            if self._playing:
                self._position = self._chunks[0].time() if self._chunks else self._position
                self._playing = False
                self._renew(keep_sound=False)

    def close(self) -> None:
        """End the worker; the player is not used after that."""
        with self._lock:
            self._closed = True
            self._lock.notify_all()
        self._worker.join(timeout=5)

    def sound_beside(self, sound: FloatArray) -> None:
        """Sound something once, beside what plays or by itself, from the next pull on. sound: mono at RATE, shape
        (n,)."""
        with self._lock:
            self._beside = np.asarray(sound, dtype=np.float32)

    @property
    def sounds_beside(self) -> bool:
        """Whether something beside still sounds."""
        return len(self._beside) > 0

    def take_turns(self) -> list[tuple[str, float]]:
        """Where rounds began and ended since this was asked last: ("begin" or "end", seconds of sound since playing
        began)."""
        with self._lock:
            turns, self._turns = self._turns, []
        return [(what, samples / RATE) for what, samples in turns]

    def take_failure(self) -> Exception | None:
        """An error that stopped the sound, once."""
        with self._lock:
            failure, self._failure = self._failure, None
            return failure

    # -- what the device takes -----------------------------------------------------------------------------------

    def pull(self, n: int) -> FloatArray:
        """The next n samples, shape (2, n); silence where nothing plays or the worker is behind."""
        out = np.zeros((2, n), np.float32)
        with self._lock:
            beside = self._beside[:n]
            self._beside = self._beside[n:]
            out[:, : len(beside)] += beside
            if not self._playing:
                return out * self._gain
            filled = 0
            while filled < n and self._chunks:
                chunk = self._chunks[0]
                if chunk.begins and not chunk.used:
                    self._turns.append(("begin", self._pulled + filled))
                take = min(n - filled, chunk.sound.shape[1] - chunk.used)
                out[:, filled : filled + take] += chunk.sound[:, chunk.used : chunk.used + take]
                chunk.used += take
                filled += take
                if chunk.used >= chunk.sound.shape[1]:
                    self._position = chunk.end
                    self._chunks.popleft()
                    if chunk.ends:
                        self._over += 1
                        self._turns.append(("end", self._pulled + filled))
            self._pulled += n
            if not self._chunks and self._ended:
                self._playing = False
                self._position = self._loop[0] if self._loop else self._duration
            self._lock.notify_all()
        return out * self._gain

    def buffered(self) -> float:
        """Seconds of sound that are ready."""
        with self._lock:
            return self._ready()

    def _ready(self) -> float:
        return float(sum(c.sound.shape[1] - c.used for c in self._chunks)) / RATE

    # -- the worker ----------------------------------------------------------------------------------------------

    def _renew(self, *, keep_sound: bool = True) -> None:
        """Start making sound anew from the position. What is ready plays on until the new sound is there."""
        self._generation += 1
        self._ended = False
        if not keep_sound:
            self._counted = ()
        if self._playing and self._chunks and keep_sound:
            self._position = self._chunks[0].time()
        else:
            self._chunks.clear()
        if self._loop and not self._loop[0] <= self._position < self._loop[1]:
            self._position = self._loop[0]
            self._chunks.clear()
        self._next = self._position
        self._tail = None
        self._fresh = True
        self._lock.notify_all()

    def _work(self) -> None:
        while True:
            with self._lock:
                self._lock.wait_for(lambda: self._closed or self._wants_sound())
                if self._closed:
                    return
                generation, fresh = self._generation, self._fresh
                source, pace, loop = self._sources[self._source], self._pace, self._loop
                cents, clicks, counted = self._cents, self._clicks, self._counted
                start = self._next
                limit = loop[1] if loop else self._duration
                length = (self._first if fresh else _CHUNK_S) * pace
                end = min(limit, start + length)
                tail = self._tail
            try:
                sound, new_tail = _stretched(source, start, end, limit, pace, cents, tail, quick=fresh)
                lead = _CLICK_S * pace
                along = [*(clicks(start - lead, end) if clicks else ()), *(c for c in counted if c.time < end)]
                click_into(sound, along, start, pace)
            except Exception as error:
                with self._lock:
                    self._failure, self._playing = error, False
                    self._chunks.clear()
                continue
            with self._lock:
                if generation != self._generation or (fresh and self._came_late(start, end)):
                    continue
                begins = loop is not None and start <= loop[0] + 1e-6
                self._accept(_Chunk(sound, start, end, begins=begins, ends=end >= limit - 1e-6), fresh)
                self._tail = new_tail
                if end >= limit - 1e-6:
                    self._tail = None
                    self._next = loop[0] if loop else end
                    last = self._rounds is not None and self._over + sum(c.ends for c in self._chunks) >= self._rounds
                    self._ended = loop is None or last
                    self._counted = ()
                    if loop and self._breath and not last:
                        self._chunks.append(self._before(self._breath, loop[0], heard=self._breath_sounds))
                else:
                    self._next = end
                self._lock.notify_all()

    def _wants_sound(self) -> bool:
        if not self._playing or self._ended or not self._sources:
            return False
        return self._fresh or self._ready() < _AHEAD_S

    def _now(self) -> float:
        """Where playing has come to; a count-in stands still."""
        return self._chunks[0].time() if self._chunks else self._position

    def _came_late(self, start: float, end: float) -> bool:
        """Whether playing has left the stretch that was made after a change; then it is made anew from where it is."""
        now = self._now()
        if start - 1e-6 <= now < end or end - start < 1e-6:
            return False
        self._next = self._position = now
        self._first = min(2 * self._first, _CHUNK_S)
        return True

    def _accept(self, chunk: _Chunk, fresh: bool) -> None:
        """Queue a chunk. The first after a change replaces what was ready, from where that has come to, with a fade."""
        counting_in = bool(self._chunks) and self._chunks[0].start == self._chunks[0].end
        if fresh:
            self._fresh, self._first = False, _FIRST_S
        if fresh and not counting_in:
            # What was ready may have been played out while this was made; then it begins where that ended.
            share = (self._now() - chunk.start) / max(1e-9, chunk.end - chunk.start)
            chunk.used = int(np.clip(share, 0.0, 1.0) * chunk.sound.shape[1])
            if self._chunks:
                self._fade_over(self._chunks[0], chunk)
            self._chunks.clear()
        elif fresh:
            clicks = self._chunks[0]
            self._chunks.clear()
            self._chunks.append(clicks)
        self._chunks.append(chunk)

    @staticmethod
    def _fade_over(old: _Chunk, new: _Chunk) -> None:
        """Let the old sound go as the new one comes."""
        rest = old.sound[:, old.used : old.used + _FADE]
        n = min(rest.shape[1], new.sound.shape[1] - new.used)
        if n > 0:
            fade = np.linspace(0, 1, n, dtype=np.float32)
            piece = new.sound[:, new.used : new.used + n]
            new.sound[:, new.used : new.used + n] = piece * fade + rest[:, :n] * (1 - fade)

    def _before(self, clicks: Sequence[Click], position: float, *, heard: bool) -> _Chunk:
        """What passes from the first of some clicks to a position that they lead to; the recording stands meanwhile."""
        start = min(c.time for c in clicks)
        sound = np.zeros((2, max(1, round((position - start) / self._pace * RATE))), np.float32)
        if heard:
            click_into(sound, clicks, start, self._pace)
        return _Chunk(sound, position, position)


def click_into(sound: FloatArray, clicks: Sequence[Click], start: float, pace: float) -> None:
    """Add clicks to sound, shape (2, n), that begins at a time in seconds of the recording and goes at a pace."""
    for c in clicks:
        tick = click(strength=c.strength)
        at = round((c.time - start) / pace * RATE)
        low, high = max(0, at), min(sound.shape[1], at + len(tick))
        if high > low:
            sound[:, low:high] += tick[low - at : high - at]


def _stretched(source: Source, start: float, end: float, limit: float, pace: float, cents: float,
               tail: FloatArray | None, *, quick: bool) -> tuple[FloatArray, FloatArray]:  # fmt: skip
    """Sound of [start, end] at a pace, shape (2, n), joined to the tail of the chunk before; and its own tail.

    A little more is stretched on both sides, and the cut is moved by up to some milliseconds to where the waves agree.
    quick: for the first chunk after a change, which must be there soon.
    """
    moved = abs(pace - 1.0) > 1e-6 or abs(cents) >= 0.01
    context = _CONTEXT_S if moved else 0.02
    low, high = max(0.0, start - context), min(limit + context, end + context)
    raw = source(low, high)
    wanted = max(1, round((high - low) * RATE))
    if raw.shape[1] < wanted:
        raw = np.pad(raw, ((0, 0), (0, wanted - raw.shape[1])))
    stereo = np.repeat(raw, 2, axis=0) if raw.shape[0] == 1 else raw[:2]
    made = stretch(stereo, speed=pace, cents=cents, quick=quick)
    first = round((start - low) / pace * RATE)
    count = max(1, round((end - start) / pace * RATE))
    shift = _best_shift(made, tail, first) if tail is not None and moved else 0
    at = max(0, min(first + shift, made.shape[1] - count))
    sound = np.array(made[:, at : at + count], dtype=np.float32)
    n = min(_FADE, sound.shape[1])
    fade = np.linspace(0, 1, n, dtype=np.float32)
    if tail is None:
        sound[:, :n] *= fade
    else:
        m = min(n, tail.shape[1])
        sound[:, :m] = sound[:, :m] * fade[:m] + tail[:, :m] * (1 - fade[:m])
    if end >= limit - 1e-6:
        sound[:, -n:] *= fade[::-1]
    new_tail = np.array(made[:, at + count : at + count + _FADE + _ALIGN], dtype=np.float32)
    return sound, new_tail


def _best_shift(made: FloatArray, tail: FloatArray, first: int) -> int:
    """The shift of up to _ALIGN samples either way at which the new sound continues the old one best."""
    goal = tail[:, :_FADE].mean(axis=0)
    if len(goal) < _FADE:
        return 0
    low = max(0, first - _ALIGN)
    room = made[:, low : first + _ALIGN + _FADE].mean(axis=0)
    if len(room) <= _FADE:
        return 0
    match = np.correlate(room, goal, "valid")
    return int(np.argmax(match)) + low - first
