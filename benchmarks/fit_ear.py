"""Teaches the ear (listen/frames/ear.py) on what benchmarks/ear_material.py made, and writes src/notcher/data/ear.onnx.

Run in an environment of its own, as nothing else needs them: pip install torch==2.13.0 onnx numpy, then
python benchmarks/fit_ear.py FOLDER STEPS [EAR]. It takes two cores, and as many steps as are said: the clock decides
nothing. With an EAR, that one is taught on, more gently, instead of a new one. The last twentieth of the phrases is kept
to see how it goes.
"""

import sys
from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch import nn
from torch.nn import functional

OUT = Path(__file__).resolve().parent.parent / "src/notcher/data/ear.onnx"
# Steps after which it is told how it goes.
_TOLD_EVERY = 500
# As in listen/frames/bands.py and listen/frames/ear.py, which this environment cannot import.
BANDS, PER_SEMITONE, LOWEST = 401, 4, 23.0
PITCHES, FIRST_PITCH = 122, 35.0
HARMONICS = (0.5, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0)
STEP = 0.01
CHANNELS = 16
# (frames, pitches) between what a layer looks at.
DILATIONS = ((1, 1), (1, 2), (2, 4), (2, 8), (4, 12), (4, 1), (8, 2), (8, 6), (1, 1))
CROP, BATCH = 320, 8
# How fast it learns at its fastest: a new one, and one that is taught on.
NEW_RATE, ON_RATE = 3e-3, 1e-3
# How often each is looked at: most often what is hardest, a lead in a recorded band.
SHARES = {"alone": 0.25, "one": 0.25, "two": 0.5}
SOUNDS, STRUCK, LEGATO = 0, 1, 2
SCALE = 80.0


class Ear(nn.Module):
    """From bands, shape (batch, frames, 2, BANDS), to what sounds, is struck, and begins by the fretting hand at each
    half semitone: logits, shape (batch, frames, PITCHES, 3)."""

    def __init__(self) -> None:
        super().__init__()
        pitch = FIRST_PITCH + np.arange(PITCHES) / 2
        at = np.round((pitch[None] + 12 * np.log2(np.array(HARMONICS))[:, None] - LOWEST) * PER_SEMITONE).astype(int)
        self.register_buffer("at", torch.from_numpy(np.minimum(at, BANDS)).reshape(-1))
        self.first = nn.Conv2d(2 * len(HARMONICS), CHANNELS, 3, padding=1)
        self.layers = nn.ModuleList(
            nn.Conv2d(CHANNELS, CHANNELS, 3, padding=d, dilation=d, bias=False) for d in DILATIONS
        )
        self.norms = nn.ModuleList(nn.BatchNorm2d(CHANNELS) for _ in DILATIONS)
        self.last = nn.Conv2d(CHANNELS, 3, 1)
        nn.init.constant_(self.last.bias, -4.0)

    def forward(self, bands: torch.Tensor) -> torch.Tensor:
        batch, frames = bands.shape[0], bands.shape[1]
        x = functional.pad(bands, (0, 1)).permute(0, 2, 1, 3)
        x = x[:, :, :, self.at].reshape(batch, 2, frames, len(HARMONICS), PITCHES)
        x = x.permute(0, 1, 3, 2, 4).reshape(batch, 2 * len(HARMONICS), frames, PITCHES)
        x = functional.relu(self.first(x))
        # One that is taught on has its norms folded into what they follow.
        for conv, norm in zip(self.layers, self.norms, strict=True):
            x = x + functional.relu(norm(conv(x)))
        return self.last(x).permute(0, 2, 3, 1)


def taught(path: Path) -> Ear:
    """The ear of a file that write made, to be taught on."""
    ear = Ear()
    kept = {i.name: torch.from_numpy(numpy_helper.to_array(i).copy()) for i in onnx.load(path).graph.initializer}
    folded = [kept[name] for name in sorted(n for n in kept if n.startswith("onnx::Conv"))]
    with torch.no_grad():
        for own, name in ((ear.first, "ear.first"), (ear.last, "ear.last")):
            own.weight.copy_(kept[f"{name}.weight"])
            own.bias.copy_(kept[f"{name}.bias"])
        for k, (weight, bias) in enumerate(zip(folded[::2], folded[1::2], strict=True)):
            ear.layers[k] = nn.Conv2d(CHANNELS, CHANNELS, 3, padding=DILATIONS[k], dilation=DILATIONS[k])
            ear.layers[k].weight.copy_(weight)
            ear.layers[k].bias.copy_(bias)
            ear.norms[k] = nn.Identity()
    return ear


def targets(events: np.ndarray, sounding: np.ndarray) -> np.ndarray:
    """What is so at each frame and pitch, 0 to 1, shape (n, PITCHES, 3)."""
    n = len(sounding)
    out = np.zeros((n, PITCHES, 3), np.float32)
    grid = np.arange(PITCHES)
    for string in sounding.T:
        at = np.flatnonzero(np.isfinite(string))
        place = (string[at] - FIRST_PITCH) * 2
        out[at, :, SOUNDS] = np.maximum(out[at, :, SOUNDS], np.exp(-0.5 * ((grid[None] - place[:, None]) / 0.6) ** 2))
    for onset, _, pitch, how in events:
        near = np.exp(-0.5 * ((grid - (pitch - FIRST_PITCH) * 2) / 0.7) ** 2)
        which = LEGATO if how else STRUCK
        middle = onset / STEP
        for k in range(int(middle) - 2, int(middle) + 4):
            if 0 <= k < n:
                out[k, :, which] = np.maximum(out[k, :, which], near * np.exp(-0.5 * ((k - middle) / 1.2) ** 2))
    return out


def main() -> None:
    """Learn for so many steps, then write."""
    folder, steps = Path(sys.argv[1]), int(sys.argv[2])
    torch.manual_seed(3)
    dice = np.random.default_rng(3)
    files = sorted(folder.glob("*.npz"))
    kept = max(1, len(files) // 20)
    pieces = [dict(np.load(f)) for f in files]
    learnt, judged = pieces[:-kept], pieces[-kept:]
    lengths = np.array([len(p["sounding"]) for p in learnt], float)
    start = Path(sys.argv[3]) if len(sys.argv) > 3 else None
    ear = (Ear() if start is None else taught(start)).to(memory_format=torch.channels_last)
    fastest = NEW_RATE if start is None else ON_RATE
    print(f"{len(files)} phrases, {sum(p.numel() for p in ear.parameters())} weights", flush=True)
    best = torch.optim.AdamW(ear.parameters(), fastest, weight_decay=1e-4)
    weight = torch.tensor([2.0, 6.0, 8.0])
    judge(ear, judged)
    losses = []
    for step in range(steps):
        share = step / steps
        for group in best.param_groups:
            group["lr"] = fastest * min(1.0, (step + 1) / 200) * (0.5 + 0.5 * np.cos(np.pi * share)) + 1e-5
        batch = [crop(learnt[dice.choice(len(learnt), p=lengths / lengths.sum())], dice) for _ in range(BATCH)]
        x, y = (torch.from_numpy(np.stack(part)) for part in zip(*batch, strict=True))
        loss = functional.binary_cross_entropy_with_logits(ear(x), y, pos_weight=weight)
        best.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(ear.parameters(), 1.0)
        best.step()
        losses.append(float(loss))
        if (step + 1) % _TOLD_EVERY == 0:
            print(f"{share:.2f} step {step} loss {np.mean(losses[-300:]):.5f}", flush=True)
        if (step + 1) % (10 * _TOLD_EVERY) == 0:
            write(ear)
            judge(ear, judged[:4])
    write(ear)
    judge(ear, judged)


def crop(piece: dict, dice: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """A few seconds of a piece, louder or softer, brighter or darker, higher or lower."""
    name = dice.choice(list(SHARES), p=list(SHARES.values()))
    bands, sounding = piece[name], piece["sounding"]
    n = min(len(bands), len(sounding))
    first = int(dice.integers(0, max(1, n - CROP)))
    rows = slice(first, first + CROP)
    x = bands[rows].astype(np.float32) / SCALE
    events = piece["events"].copy()
    events[:, :2] -= first * STEP
    sounds = sounding[first : min(n, first + CROP)].copy()
    up = int(dice.integers(-4, 5))
    x = np.roll(x, up, axis=2)
    if up:
        x[:, :, : max(0, up)] = 0
        x[:, :, BANDS + min(0, up) :] = 0
    sounds += up / PER_SEMITONE
    events[:, 2] += up / PER_SEMITONE
    # In the logarithm of levels a gain is a sum, and a voice a slow curve.
    curve = dice.normal(0, 0.1) + np.interp(np.arange(BANDS), np.linspace(0, BANDS, 7), dice.normal(0, 0.12, 7))
    x = np.where(x > 0.02, np.maximum(x + curve.astype(np.float32), 0), x)
    y = targets(events, sounds)
    x = np.pad(x, ((0, CROP - len(x)), (0, 0), (0, 0)))
    return x.astype(np.float32), np.pad(y, ((0, CROP - len(y)), (0, 0), (0, 0)))


@torch.no_grad()
def judge(ear: Ear, pieces: list[dict]) -> None:
    """Of what is likelier than not, the share that is so, and the share found of what is; frame by frame."""
    ear.eval()
    for name in SHARES:
        counts = np.zeros((3, 4))
        for p in pieces:
            n = min(len(p[name]), len(p["sounding"]))
            bands = torch.from_numpy(p[name][None, :n].astype(np.float32) / SCALE)
            heard, so = torch.sigmoid(ear(bands))[0].numpy(), targets(p["events"], p["sounding"][:n])
            for k in range(3):
                yes, peak = heard[..., k] > 0.5, so[..., k] > 0.75
                counts[k] += (yes & (so[..., k] > 0.15)).sum(), yes.sum(), (yes & peak).sum(), peak.sum()
        right, found = counts[:, 0] / np.maximum(counts[:, 1], 1), counts[:, 2] / np.maximum(counts[:, 3], 1)
        print(f"{name}: right {np.round(right, 3)}, found {np.round(found, 3)}", flush=True)
    ear.train()


def write(ear: Ear) -> None:
    """Write it so that the runtime reads it, with likelihoods for logits."""
    ear.eval()

    class Likely(nn.Module):
        def __init__(self) -> None:
            super().__init__()
            self.ear = ear

        def forward(self, bands: torch.Tensor) -> torch.Tensor:
            return torch.sigmoid(self.ear(bands))

    torch.onnx.export(
        Likely(), (torch.zeros(1, 200, 2, BANDS),), str(OUT), input_names=["bands"], output_names=["likely"],
        dynamic_axes={"bands": {1: "frames"}, "likely": {1: "frames"}}, opset_version=17, dynamo=False,
    )  # fmt: skip
    ear.train()


if __name__ == "__main__":
    main()
