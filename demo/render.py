"""Renders the demo recording, the dry lead and the truth file.

Needs Debian's fluidsynth and fluid-soundfont-gm (MIT licence) at build time only. Run: python -m demo.render
"""

import json
import random
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import pedalboard as pb
from pedalboard.io import AudioFile

from demo.solo import BEATS, BPM, CHORDS, OFFSET_CENTS, OPEN, PHRASES, PROGRESSION, SECTIONS, Played

RATE = 44100
FIRST_BEAT = 0.35
SOUNDFONT = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
ROOT = Path(__file__).resolve().parent.parent
SHIPPED = ROOT / "src/notcher/data/demo"
BEND_RANGE = 24
GLIDE = 0.075
CONTROL_STEP = 0.004
# The sampled pick takes about this long from its key to its sound.
PICK_LEAD = 0.009
LEGATO = ("hammer", "pull", "slide")
LOUD = 116
# A volume swell rises over SWELL seconds and is heard from SWELL_HEARD on (an amplifier lifts its first part).
SWELL, SWELL_HEARD = 0.35, 0.06


@dataclass(frozen=True)
class Take:
    """How something is played: tempo, where beat 0 lies in seconds, cents from A = 440, and the guitar.

    program: the sampled guitar's; muted_program: that of palm-muted notes; strings: MIDI pitch of open strings 1 to 6.
    """

    bpm: float
    first_beat: float
    offset_cents: float
    program: int = 29
    muted_program: int = 29
    strings: tuple[int, ...] = OPEN

    @property
    def beat(self) -> float:
        return 60.0 / self.bpm

    def seconds(self, beat: float) -> float:
        return self.first_beat + beat * self.beat


DEMO = Take(BPM, FIRST_BEAT, OFFSET_CENTS)
BEAT = DEMO.beat


def humanized(phrases, take: Take = DEMO, seed: int = 92) -> list[tuple[float, float, Played]]:
    """(onset, end, note) in seconds: late at the start of a phrase, early at its end, a little unsteady."""
    dice = random.Random(seed)
    out = []
    for _, notes in phrases:
        low = min(n.beat for n in notes)
        span = max(n.beat for n in notes) - low or 1.0
        for beat in sorted({n.beat for n in notes}):
            drift = 0.020 - 0.034 * (beat - low) / span + dice.gauss(0, 0.004)
            for n in (n for n in notes if n.beat == beat):
                onset = take.seconds(beat) + drift
                out.append((onset, onset + n.length * take.beat - 0.004, n))
    out.sort(key=lambda item: (item[0], item[2].string))
    return legato_joined(out)


def legato_joined(notes):
    """Lets a string's note end where the next of its string is hammered, pulled or slid to."""
    joined = []
    for i, (onset, end, n) in enumerate(notes):
        following = next((m for m in notes[i + 1 :] if m[2].string == n.string), None)
        if following and (following[2].attack in LEGATO or following[0] < end):
            end = following[0]
        joined.append((onset, end, n))
    return joined


def shape_cents(n: Played, t: np.ndarray, take: Take = DEMO) -> np.ndarray:
    """Cents above the fretted pitch at seconds t from the onset: the pushed string and the vibrato."""
    cents = np.zeros_like(t)
    if n.bend:
        times = np.array([b * take.beat for b, _ in n.bend])
        levels = np.array([float(c) for _, c in n.bend])
        cents[:] = levels[0]
        for i in range(len(times) - 1):
            x = np.clip((t - times[i]) / (times[i + 1] - times[i]), 0, 1)
            cents += (levels[i + 1] - levels[i]) * (0.5 - 0.5 * np.cos(np.pi * x))
    if n.vib:
        rate, extent, delay = n.vib
        since = np.clip(t - delay * take.beat, 0, None)
        depth = extent * np.clip(since / 0.15, 0, 1)
        wave = 0.5 - 0.5 * np.cos(2 * np.pi * rate * since)
        cents += (-2 if n.bend else 2) * depth * wave
    return cents


def heard_cents(n: Played, t: np.ndarray, duration: float, slide_to: int | None, take: Take = DEMO) -> np.ndarray:
    """The bend's shape, and the frets passed in slides: into the note, off it, and to the next (frets from here)."""
    cents = shape_cents(n, t, take)
    if slide_to is not None:
        cents = cents + 100.0 * np.round(slide_to * np.clip((t - duration + GLIDE) / GLIDE, 0, 1))
    if "slide-in" in n.marks:
        cents = cents - 100.0 * np.round(4 * np.clip(1 - t / 0.10, 0, 1))
    if "slide-off" in n.marks:
        cents = cents - 100.0 * np.round(7 * np.clip((t - duration + 0.22) / 0.22, 0, 1))
    return cents


def slides_to(notes, i: int) -> int | None:
    """How many frets note i slides to the next note of its string, or None."""
    n = notes[i][2]
    following = next((m[2] for m in notes[i + 1 :] if m[2].string == n.string), None)
    slid = following and (following.attack == "slide" or "slid-to" in following.marks)
    return following.fret - n.fret if following and slid else None


def lead_midi(notes, take: Take = DEMO) -> mido.MidiFile:
    """Each string is a channel of its own; legato is a jump of the wheel on the note that still sounds."""
    events: list[tuple[float, int, mido.Message]] = []
    for string in range(1, 7):
        channel = string - 1
        mine = [m for m in notes if m[2].string == string]
        events += channel_setup(channel, take, program=take.program, volume=100)
        sounding: tuple[int, float] | None = None
        for i, (onset, end, n) in enumerate(mine):
            pitch = take.strings[string - 1] + n.fret + n.sounding
            if n.attack in LEGATO and sounding:
                key = sounding[0]
            else:
                key = pitch
                struck = max(0.0, onset - PICK_LEAD)
                events.append((struck, 0, control(channel, 120, 0)))
                if take.muted_program != take.program:
                    muted = "palm-mute" in n.marks or "dead" in n.marks
                    program = take.muted_program if muted else take.program
                    events.append((struck, 0, mido.Message("program_change", channel=channel, program=program)))
                events += _swell(channel, struck) if "swell" in n.marks else [(struck, 1, control(channel, 11, LOUD))]
                events.append((struck, 2, mido.Message("note_on", channel=channel, note=key, velocity=n.velocity)))
            following = mine[i + 1] if i + 1 < len(mine) else None
            legato = following is not None and following[2].attack in LEGATO
            slide_to = slides_to(mine, i)
            # The next note of this string starts its own wheel; do not write over it.
            last = min(end, following[0] - PICK_LEAD - 0.002 if following and not legato else end)
            for t in np.arange(onset if n.attack in LEGATO else onset - PICK_LEAD, last, CONTROL_STEP):
                cents = float(heard_cents(n, np.array([max(0.0, t - onset)]), end - onset, slide_to, take)[0])
                events.append((t, 1, wheel(channel, 100.0 * (pitch - key) + cents)))
            if n.attack in ("hammer", "pull"):
                events.append((onset, 1, control(channel, 11, 127)))
                events.append((onset + 0.05, 1, control(channel, 11, LOUD)))
            sounding = (key, end)
            if not legato:
                # The finger damps the string: the sampled release would ring on over the next note.
                gone = min(end, following[0] - PICK_LEAD - 0.016) if following else end
                for step, volume in enumerate((70, 30, 0)):
                    events.append((gone + 0.004 * step, -1, control(channel, 11, volume)))
                events.append((gone + 0.012, -1, mido.Message("note_off", channel=channel, note=key)))
                sounding = None
    return midi_file(events)


def _swell(channel, start):
    steps = np.linspace(0, 1, 45)
    return [(start + SWELL * x, 1, control(channel, 11, round(LOUD * x))) for x in steps]


def channel_setup(channel, take, *, program, volume, bank_range=BEND_RANGE):
    fine = 8192 + round(take.offset_cents / 100 * 8192)

    values = [(101, 0), (100, 0), (6, bank_range), (38, 0)]
    if channel != 9:
        values += [(101, 0), (100, 1), (6, fine >> 7), (38, fine & 127)]
    values += [(7, volume), (11, LOUD), (91, 0), (93, 0)]
    setup = [(0.0, 0, control(channel, number, value)) for number, value in values]
    return [*setup, (0.0, 0, mido.Message("program_change", channel=channel, program=program))]


def control(channel, number, value):
    return mido.Message("control_change", channel=channel, control=number, value=value)


def wheel(channel, cents):
    value = round(cents / (BEND_RANGE * 100) * 8192)
    return mido.Message("pitchwheel", channel=channel, pitch=max(-8192, min(8191, value)))


def midi_file(events):
    """A MIDI file of timed messages, a tick being half a millisecond."""
    events = sorted(enumerate(events), key=lambda e: (round(e[1][0] * 2000), e[1][1], e[0]))
    midi = mido.MidiFile(ticks_per_beat=1000)
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)])
    now = 0
    for _, (time, _order, message) in events:
        tick = max(now, round(time * 2000))
        track.append(message.copy(time=tick - now))
        now = tick
    midi.tracks.append(track)
    return midi


def backing_midi(take: Take = DEMO) -> dict[str, mido.MidiFile]:
    """Bass, drums, and two chord instruments, each a file of its own so that each has its place in the stereo."""
    dice = random.Random(7)
    parts: dict[str, list] = {name: [] for name in ("bass", "drums", "keys", "rhythm")}
    parts["bass"] += channel_setup(0, take, program=33, volume=100)
    parts["keys"] += channel_setup(0, take, program=16, volume=80)
    parts["rhythm"] += channel_setup(0, take, program=27, volume=90)
    parts["drums"] += channel_setup(9, take, program=0, volume=110)

    def hit(part, channel, beat, key, length, velocity):
        t = max(0.0, take.seconds(beat) + dice.gauss(0, 0.003))
        velocity += dice.randint(-6, 6)
        parts[part].append((t, 2, mido.Message("note_on", channel=channel, note=key, velocity=velocity)))
        parts[part].append((t + length * take.beat, 0, mido.Message("note_off", channel=channel, note=key)))

    for i in range(4):
        hit("drums", 9, i, 37, 0.2, 90)
    for bar, name in enumerate(PROGRESSION):
        if name == "-":
            continue
        start, (root, chord) = bar * 4, CHORDS[name]
        final = bar == len(PROGRESSION) - 1
        for at, key in ((0, root), (1.5, root), (2, root + 7), (3, root), (3.5, root + 12)):
            if not final or at == 0:
                hit("bass", 0, start + at, key, 2.0 if final else 0.45, 92)
        for key in chord[:3]:
            hit("keys", 0, start, key, 1.8 if final else 3.9, 62)
        for at in (0.5, 1.5, 2.5, 3.5):
            if not final:
                for k, key in enumerate(chord):
                    hit("rhythm", 0, start + at + 0.02 * k, key, 0.3, 64)
        for at in range(4):
            if final and at:
                break
            hit("drums", 9, start + at, 36 if at % 2 == 0 else 38, 0.2, 104)
            hit("drums", 9, start + at, 42, 0.2, 74)
            hit("drums", 9, start + at + 0.5, 42, 0.2, 58)
        if bar % 4 == 1:
            hit("drums", 9, start, 49, 0.2, 84)
    return {name: midi_file(events) for name, events in parts.items()}


def synthesize(midi: mido.MidiFile, length: int, font: Path = SOUNDFONT) -> np.ndarray:
    """The MIDI file through FluidSynth, mono, cut or filled to `length` samples."""
    with tempfile.TemporaryDirectory() as folder:
        path, wav = Path(folder) / "part.mid", Path(folder) / "part.wav"
        midi.save(path)
        command = ["fluidsynth", "-ni", "-q", "-g", "0.6", "-R", "0", "-C", "0", "-r", str(RATE), "-o",
                   "synth.polyphony=256", "-F", str(wav), str(font), str(path)]  # fmt: skip
        subprocess.run(command, check=True, capture_output=True)
        with AudioFile(str(wav)) as f:
            audio = f.read(f.frames)
    mono = audio.mean(axis=0)[:length]
    return np.pad(mono, (0, length - len(mono))).astype(np.float32)


def leveled(audio: np.ndarray, rms_db: float) -> np.ndarray:
    loud = audio[np.abs(audio) > 1e-3]
    return audio * (10 ** (rms_db / 20) / np.sqrt(np.mean(loud**2)))


def panned(mono: np.ndarray, where: float) -> np.ndarray:
    """Equal-power pan, -1 left to 1 right."""
    angle = (where + 1) * np.pi / 4
    return np.stack([mono * np.cos(angle), mono * np.sin(angle)])


def truth_notes(notes, take: Take = DEMO) -> list[dict]:
    """What was played, note by note, with the cents of each 5 ms."""
    rows = []
    for i, (onset, end, n) in enumerate(notes, 1):
        heard = SWELL_HEARD if "swell" in n.marks else 0.0
        t = np.arange(heard, end - onset + 0.005, 0.005)
        rows.append({
            "id": f"t{i}", "onset": round(onset + heard, 4), "duration": round(end - onset - heard, 4),
            "string": n.string, "fret": n.fret, "pitch": take.strings[n.string - 1] + n.fret, "sounding": n.sounding, "attack": n.attack,
            "marks": list(n.marks),
            "bend": {"kind": n.kind, "target_cents": n.target} if n.kind else None,
            "vibrato": dict(zip(("rate_hz", "extent_cents", "start"), (n.vib[0], n.vib[1], n.vib[2] * take.beat),
                                strict=True)) if n.vib else None,
            "cents_5ms": [round(float(c), 1) for c in heard_cents(n, t, end - onset, slides_to(notes, i - 1), take)],
        })  # fmt: skip
    return rows


def truth(notes) -> dict:
    return {
        "about": "Truth of the demo recording, for tests and benchmarks; the program never reads it.",
        "offset_cents": OFFSET_CENTS, "bpm": BPM, "first_beat": FIRST_BEAT, "tuning": list(OPEN),
        "phrases": [{"name": name, "start": round(DEMO.seconds(min(n.beat for n in p)), 3)} for name, p in PHRASES],
        "sections": [{"name": name, "start": round(DEMO.seconds(beat), 3)} for name, beat in SECTIONS],
        "notes": truth_notes(notes),
    }  # fmt: skip


def write(path: Path, audio: np.ndarray, quality: str) -> None:
    with AudioFile(str(path), "w", RATE, audio.shape[0], quality=quality) as f:
        f.write(audio)


def amplified(clean: np.ndarray, drive_db: float = 9) -> np.ndarray:
    """The lead through an amplifier, mono."""
    amp = pb.Pedalboard([
        pb.HighpassFilter(90), pb.Compressor(threshold_db=-24, ratio=3, attack_ms=4, release_ms=120),
        pb.Distortion(drive_db=drive_db), pb.PeakFilter(1800, 3, 0.8), pb.LowpassFilter(5200),
    ])  # fmt: skip
    return leveled(amp(leveled(clean, -20)[None], RATE)[0], -18)


def band(take: Take, length: int) -> np.ndarray:
    """Bass, drums and chords, each in its place, shape (2, length)."""
    backing = {name: synthesize(midi, length) for name, midi in backing_midi(take).items()}
    drums = pb.Pedalboard([pb.Reverb(room_size=0.3, wet_level=0.1, dry_level=0.9)])(panned(backing["drums"], 0.1), RATE)
    return (
        drums * (10 ** (-22 / 20) / np.sqrt(np.mean(drums**2)))
        + panned(leveled(backing["bass"], -24), 0.0)
        + panned(leveled(backing["keys"], -31), 0.75)
        + panned(leveled(backing["rhythm"], -29), -0.75)
    )


def in_a_room(dry: np.ndarray, take: Take) -> np.ndarray:
    """The lead in the centre with a delay and a room, shape (2, n)."""
    room = pb.Pedalboard(
        [pb.Delay(take.beat * 0.75, 0.18, 0.16), pb.Reverb(room_size=0.42, wet_level=0.14, dry_level=0.9)]
    )
    return room(panned(dry, 0.0), RATE)


def main() -> None:
    length = int((DEMO.seconds(BEATS) + 3.0) * RATE)
    notes = humanized(PHRASES)
    dry = amplified(synthesize(lead_midi(notes), length))
    mix = in_a_room(dry, DEMO) + band(DEMO, length)
    master = pb.Pedalboard([pb.Compressor(threshold_db=-14, ratio=2), pb.Limiter(threshold_db=-2.5)])
    SHIPPED.mkdir(parents=True, exist_ok=True)
    data = ROOT / "tests/data"
    data.mkdir(parents=True, exist_ok=True)
    write(SHIPPED / "pellan-quay-demo.ogg", master(mix.astype(np.float32), RATE), "160 kbps")
    write(data / "lead_dry.ogg", dry[None], "96 kbps")
    (data / "truth.json").write_text(json.dumps(truth(notes), separators=(",", ":")) + "\n")


if __name__ == "__main__":
    main()
