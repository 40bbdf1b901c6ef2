"""One part of a MusicXML score, read measure by measure: where each note stands, and what is said at it."""

from collections import Counter
from dataclasses import replace
from fractions import Fraction
from xml.etree import ElementTree as ET

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import ReadNote
from notcher.formats.incoming.harmony import chord_of, key_of
from notcher.formats.incoming.signs import Signs, signs_of
from notcher.formats.limits import LARGEST_DENOMINATOR, LONGEST_BEATS, fraction, number, whole
from notcher.formats.musicxml import ADVICE, DOUBT, PHRASE
from notcher.score.chord import Chord
from notcher.score.errors import ScoreError
from notcher.score.key import Key
from notcher.score.limits import MOST_NOTES
from notcher.score.tuning import HIGHEST_CAPO, HIGHEST_FRET, MOST_STRINGS, NAMED, Tuning
from notcher.wording import tr, trn

_SEMITONES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_MOST_DIVISIONS, _MOST_IN_A_BAR = 1_000_000, 64
_UNITS = {"whole": 4.0, "half": 2.0, "quarter": 1.0, "eighth": 0.5, "16th": 0.25}


def beats_of(value: Fraction) -> float:
    """A place in beats as a float."""
    return value.numerator / value.denominator


class Staff:
    """Reads the measures of one part in the order they are played. Places and lengths are in quarters.

    bars: (length, whether it is a pick-up); tempos: (place, quarters a minute); words: what stands over the music;
    chords, keys: (place, what begins there).
    """

    def __init__(self) -> None:
        self.bars: list[tuple[Fraction, bool]] = []
        self.tempos: list[tuple[Fraction, float]] = []
        self.words: set[str] = set()
        self._advice: dict[Fraction, str] = {}
        self.phrases: list[tuple[Fraction, str]] = []
        self._doubts: dict[Fraction, str] = {}
        self.chords: list[tuple[Fraction, Chord | None]] = []
        self.keys: list[tuple[Fraction, Key]] = []
        self.tuning: Tuning | None = None
        self._capo = 0
        self._divisions = 1
        self._transpose = 0
        self._metre = Fraction(4)
        self.signatures: list[tuple[int, int]] = []
        self._begin = Fraction(0)
        self._notes: list[tuple[int, ReadNote]] = []
        self._tied: dict[tuple[int, int], int] = {}
        self._wavy = False
        self._skipped: Counter[str] = Counter()
        self._said: list[str] = []

    # -- what came of it -----------------------------------------------------------------------------------------

    def skip(self, what: str) -> None:
        """Remember what was not understood, as a clause."""
        if what not in self._said:
            self._said.append(what)

    def not_understood(self) -> tuple[str, ...]:
        """What was not understood, a clause each."""
        return (
            *self._said,
            *(trn("{what}", "{what} ({n} times)", n, what=what) for what, n in self._skipped.items()),
        )

    def read_notes(self) -> list[ReadNote]:
        """The notes; of a part with tab and standard notation those of the tab."""
        in_tab = {staff for staff, n in self._notes if n.string is not None}
        staves = in_tab or {staff for staff, _ in self._notes}
        notes = [n for staff, n in self._notes if staff in staves]
        told: set[Fraction] = set()
        for k, n in enumerate(notes):
            if n.start not in told and not n.grace:
                told.add(n.start)
                doubt = self._doubts.get(n.start, n.doubt)
                notes[k] = replace(n, advice=self._advice.get(n.start, n.advice), doubt=doubt)
        return notes

    def close(self) -> None:
        """All measures were read."""
        if self.tuning is not None and self._capo:
            self.tuning = replace(self.tuning, capo=self._capo)

    # -- measures ------------------------------------------------------------------------------------------------

    def measure(self, measure: ET.Element) -> None:
        """Read one measure. Raises FileFormatError for values that are none."""
        at = longest = last = Fraction(0)
        for element in measure:
            match element.tag:
                case "attributes":
                    self._attributes(element)
                case "note":
                    chord = element.find("chord") is not None
                    grace = element.find("grace") is not None
                    length = Fraction(0) if grace else self._length(element)
                    start = last if chord else at
                    self._note(element, self._begin + start, length)
                    if not chord:
                        last, at = at, at + length
                case "backup":
                    at = max(Fraction(0), at - self._length(element))
                case "forward":
                    at += self._length(element)
                case "harmony":
                    self._harmony(element, self._begin + at)
                case "direction":
                    self._direction(element, self._begin + at)
                case "sound":
                    self._tempo(element.get("tempo"), self._begin + at)
            if at.denominator > LARGEST_DENOMINATOR:
                raise FileFormatError("its note values are no parts of a beat that could be written")
            longest = max(longest, at)
        self._end_measure(measure, longest)

    def _end_measure(self, measure: ET.Element, longest: Fraction) -> None:
        implicit = measure.get("implicit") == "yes"
        first = not self.bars
        short = 0 < longest < self._metre
        pickup = first and short and (implicit or measure.get("number", "1") in ("0", "1"))
        length = longest if pickup or (implicit and short) else max(longest, self._metre)
        self.bars.append((length, pickup))
        self._begin += length
        if self._begin.denominator > LARGEST_DENOMINATOR:
            raise FileFormatError("its note values are no parts of a beat that could be written")
        if self._begin > LONGEST_BEATS:
            raise FileFormatError("it is longer than {longest_beats} beats; no solo is", longest_beats=LONGEST_BEATS)

    def _length(self, element: ET.Element) -> Fraction:
        text = element.findtext("duration", "0")
        try:
            length = max(Fraction(0), fraction(text) / self._divisions)
        except ValueError as error:
            raise FileFormatError("'{text}' is no duration", text=text[:20]) from error
        if length > LONGEST_BEATS:
            raise FileFormatError(
                "a note lasts longer than {longest_beats} beats; no solo's does", longest_beats=LONGEST_BEATS
            )
        return length

    def _harmony(self, element: ET.Element, at: Fraction) -> None:
        """A chord over the place where it stands, moved by its offset."""
        try:
            offset = fraction(element.findtext("offset") or "0") / self._divisions
            chord = chord_of(element)
        except (ValueError, ScoreError):
            self._skipped[tr("a chord of a kind that is not known here")] += 1
            return
        self.chords.append((max(Fraction(0), at + offset), chord))

    def _key(self, element: ET.Element) -> None:
        try:
            key = key_of(element)
        except (ValueError, ScoreError):
            self._skipped[tr("a key that is not known here")] += 1
            return
        if key is not None and (not self.keys or self.keys[-1][1] != key):
            self.keys.append((self._begin, key))

    def _attributes(self, element: ET.Element) -> None:
        for key in element.findall("key")[:1]:
            self._key(key)
        divisions = element.findtext("divisions")
        if divisions is not None:
            try:
                self._divisions = min(_MOST_DIVISIONS, max(1, round(number(divisions))))
            except ValueError as error:
                raise FileFormatError("'{divisions}' is no number of divisions", divisions=divisions[:20]) from error
        for time in element.findall("time"):
            try:
                beats = sum(whole(part) for part in (time.findtext("beats") or "4").split("+"))
                unit = whole(time.findtext("beat-type") or "4")
                if not (1 <= beats <= _MOST_IN_A_BAR and 1 <= unit <= _MOST_IN_A_BAR):
                    raise ValueError(tr("no metre"))
                self._metre = Fraction(4 * beats, unit)
                self.signatures.append((beats, unit))
            except ValueError:
                self._skipped[tr("a metre that is no fraction")] += 1
        for shift in element.findall("transpose"):
            chromatic, octaves = shift.findtext("chromatic") or "0", shift.findtext("octave-change") or "0"
            try:
                self._transpose = round(number(chromatic)) + 12 * round(number(octaves))
            except ValueError:
                self._skipped[tr("a transposition that is no number")] += 1
        for details in element.findall("staff-details"):
            self._strings(details)

    def _strings(self, details: ET.Element) -> None:
        pitches: dict[int, int] = {}
        for line in details.findall("staff-tuning"):
            step, octave = line.findtext("tuning-step") or "", line.findtext("tuning-octave") or ""
            alter = line.findtext("tuning-alter") or "0"
            try:
                pitch = 12 * (whole(octave) + 1) + _SEMITONES[step.strip()] + round(number(alter))
                pitches[whole(line.get("line", "0"))] = pitch
            except (ValueError, KeyError):
                self._skipped[tr("the tuning of a string")] += 1
        capo = details.findtext("capo") or ""
        if _is_whole(capo) and 0 <= whole(capo) <= HIGHEST_CAPO:
            self._capo = whole(capo)
        if not pitches:
            return
        count = len(pitches)
        if sorted(pitches) != list(range(1, count + 1)):
            self.skip(tr("its tuning names {count} strings, and not each once: standard tuning is taken", count=count))
            return
        try:
            found = Tuning(tuple(pitches[line] for line in range(count, 0, -1)))
        except ScoreError as error:
            self.skip(tr("its tuning is not taken: {error}", error=error))
            return
        self.tuning = next((t for t in NAMED.values() if t.pitches == found.pitches), found)

    def _direction(self, element: ET.Element, at: Fraction) -> None:
        for words in element.iter("words"):
            said = (words.text or "").strip()
            if words.get("id", "").startswith(ADVICE):
                known = self._advice.get(at, "")
                self._advice[at] = f"{known} · {said}" if known else said
            if words.get("id", "").startswith(f"{PHRASE}-") and said:
                self.phrases.append((at, said))
            if words.get("id", "").startswith(DOUBT):
                self._doubts[at] = said.removeprefix("?").strip() or "?"
            self.words.add(said)
        sound = element.find("sound")
        if sound is not None and sound.get("tempo"):
            self._tempo(sound.get("tempo"), at)
            return
        for metronome in element.iter("metronome"):
            unit = _UNITS.get(metronome.findtext("beat-unit") or "", 0.0)
            if metronome.find("beat-unit-dot") is not None:
                unit *= 1.5
            text = metronome.findtext("per-minute") or ""
            try:
                self._tempo(str(number(text) * unit), at)
            except ValueError:
                self._skipped[tr("a tempo of '{text}'", text=text[:20])] += 1

    def _tempo(self, text: str | None, at: Fraction) -> None:
        if text is None:
            return
        try:
            bpm = number(text)
        except ValueError:
            bpm = 0.0
        if not 5 <= bpm <= 1000:
            self._skipped[tr("a tempo of '{text}'", text=text[:20])] += 1
        elif not self.tempos or self.tempos[-1][0] < at:
            self.tempos.append((at, bpm))

    # -- notes ---------------------------------------------------------------------------------------------------

    def _note(self, element: ET.Element, start: Fraction, length: Fraction) -> None:
        if element.find("rest") is not None:
            return
        pitch = self._pitch(element)
        if pitch is None:
            self._skipped[tr("a note without a pitch")] += 1
            return
        if len(self._notes) >= MOST_NOTES:
            raise FileFormatError("it holds more than {most_notes} notes; no solo does", most_notes=MOST_NOTES)
        signs = signs_of(element, self._skipped, wavy=self._wavy)
        self._wavy = signs.wavy
        string, fret = self._place(element)
        if string is not None and fret is not None and self.tuning is not None:
            # Where both are written the tab is what is meant.
            pitch = replace(self.tuning, capo=self._capo).pitch(string, fret)
        staff = element.findtext("staff") or "1"
        row = whole(staff) if _is_whole(staff) else 1
        if self._continues(element, row, pitch, start, length):
            return
        note = ReadNote(
            start, length, pitch, string, fret, signs.attack, signs.bend, signs.vibrato, frozenset(signs.marks),
            signs.finger, signs.partial, raked_from=signs.raked_from, sounding=signs.sounding, arrives=signs.arrives,
        )  # fmt: skip
        self._notes.append((row, note))
        if _is_tied(element, "start"):
            self._tied[row, pitch] = len(self._notes) - 1

    def _continues(self, element: ET.Element, staff: int, pitch: int, start: Fraction, length: Fraction) -> bool:
        """Whether a note is the tied end of one that was read, which then lasts longer."""
        if not _is_tied(element, "stop"):
            return False
        before = self._tied.pop((staff, pitch), None)
        if before is None:
            return False
        _, note = self._notes[before]
        self._notes[before] = (staff, self._with_late_signs(element, replace(note, length=start + length - note.start)))
        if _is_tied(element, "start"):
            self._tied[staff, pitch] = before
        return True

    def _with_late_signs(self, element: ET.Element, note: ReadNote) -> ReadNote:
        """What is said at the end of a tied note: a vibrato over it, that it rings on."""
        signs: Signs = signs_of(element, self._skipped, wavy=self._wavy)
        return replace(note, vibrato=note.vibrato or signs.vibrato, marks=note.marks | signs.marks)

    def _pitch(self, element: ET.Element) -> int | None:
        step, octave = element.findtext("pitch/step"), element.findtext("pitch/octave")
        try:
            alter = round(number(element.findtext("pitch/alter") or "0"))
            pitch = 12 * (whole(octave or "") + 1) + _SEMITONES[(step or "").strip()] + alter + self._transpose
        except (ValueError, KeyError):
            return None
        return pitch if 0 <= pitch <= 127 else None

    def _place(self, element: ET.Element) -> tuple[int | None, int | None]:
        string, fret = element.findtext(".//technical/string") or "", element.findtext(".//technical/fret") or ""
        if not (_is_whole(string) and _is_whole(fret)):
            return None, None
        place = whole(string), whole(fret)
        if not (1 <= place[0] <= MOST_STRINGS and 0 <= place[1] <= HIGHEST_FRET):
            self._skipped[
                tr("a place on string {string}, fret {fret}: another is found", string=place[0], fret=place[1])
            ] += 1
            return None, None
        return place


def _is_whole(text: str) -> bool:
    try:
        whole(text)
    except ValueError:
        return False
    return True


def _is_tied(element: ET.Element, kind: str) -> bool:
    return any(tie.get("type") == kind for tie in element.findall("tie"))
