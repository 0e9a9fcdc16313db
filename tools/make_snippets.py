"""Makes the snippets that come with the program: `python tools/make_snippets.py`."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import felt_dial.sound.modules  # noqa: F401
from felt_dial.bank.library.snippets import CHAIN, FAMILIES, write_chain, write_snippet
from felt_dial.files import slug
from felt_dial.patch.module import Effect
from felt_dial.patch.units import Beats
from felt_dial.sound.control.curve import READY

SNIPPETS = Path(__file__).parent.parent / "felt_dial" / "data" / "snippets"
SCATTER = tuple((level, 0.0, 1.0, 0.3) for level in (0.5, 0.8, 0.3, 0.9, 0.4, 0.7, 0.2, 0.6))
GATE = tuple(
    (level, tie, 1.0, 0.0) for level, tie in ((1, 0), (0, 0), (1, 0), (1, 1), (0, 0), (1, 0), (0, 0), (0.6, 0))
)
RAMPS = tuple((n / 15, 0.0, 1.0, 0.0) for n in range(16))
TRICKLE = tuple((level, 0.0, 0.55, 0.2) for level in (0.9, 0.35, 0.6, 0.8, 0.2, 0.7, 0.45, 0.95, 0.3, 0.5, 0.75, 0.4))
LEAF = ((0.0, 0.0, 0.6), (0.15, 1.0, 0.4), (0.55, 0.25, 0.0), (1.0, 0.0, 0.0))
PULSE = ((0.0, 1.0, 0.0), (0.12, 1.0, 0.0), (0.12, 0.0, 0.0), (1.0, 0.0, 0.0))
HEART = ((0.0, 0.0, 0.0), (0.08, 1.0, 0.3), (0.2, 0.1, 0.0), (0.3, 0.7, 0.3), (0.48, 0.0, 0.0), (1.0, 0.0, 0.0))
STAIRS = tuple(point for n in range(4) for point in ((n / 4, n / 3, 0.0), ((n + 1) / 4, n / 3, 0.0)))

MADE: dict[str, dict[str, dict[str, object]]] = {
    "modulator.envelope": {
        "Pluck": {"attack": 0.001, "decay": 0.45, "sustain": 0.0, "release": 0.3, "decay_bend": 0.6},
        "Stab": {"attack": 0.002, "hold": 0.06, "decay": 0.12, "sustain": 0.0, "release": 0.08, "decay_bend": 0.3},
        "Pad": {"attack": 1.2, "decay": 2.0, "sustain": 0.8, "release": 2.4, "attack_bend": -0.15},
        "Swell": {"attack": 3.0, "decay": 0.5, "sustain": 1.0, "release": 1.2, "attack_bend": -0.4},
        "Organ": {"attack": 0.004, "decay": 0.0, "sustain": 1.0, "release": 0.03},
        "Kick": {"attack": 0.0, "hold": 0.01, "decay": 0.28, "sustain": 0.0, "release": 0.05, "decay_bend": 0.8},
        "Four-burst clap": {
            "attack": 0.0005,
            "decay": 0.011,
            "sustain": 0.25,
            "release": 0.16,
            "decay_bend": 0.4,
            "loop_from": "attack",
            "loop_to": "decay",
            "loop_count": 3,
            "release_bend": 0.7,
        },
        "Reverse": {"attack": 0.9, "decay": 0.02, "sustain": 0.0, "release": 0.02, "attack_bend": -0.6},
        "Struck and held": {"attack": 0.001, "decay": 0.8, "sustain": 0.35, "release": 0.7, "decay_bend": 0.7},
        "Bowed": {"attack": 0.22, "decay": 0.6, "sustain": 0.85, "release": 0.35, "velocity_times": 0.5},
        "Bouncing": {
            "attack": 0.01,
            "decay": 0.14,
            "sustain": 0.0,
            "release": 0.1,
            "loop_from": "start",
            "decay_bend": 0.2,
        },
    },
    "modulator.lfo": {
        "Slow breath": {"shape": "sine", "rate": 0.12},
        "Late vibrato": {"shape": "sine", "rate": 5.4, "delay": 0.35, "fade": 0.8},
        "Tremolo in eighths": {"shape": "triangle", "rate": Beats(0.5), "start": "free", "smooth": 0.01},
        "Leaf fall": {"shape": "drawn", "rate": 0.8, "line": LEAF},
        "Gate pulse": {"shape": "drawn", "rate": Beats(0.5), "start": "free", "line": PULSE, "smooth": 0.004},
        "Heartbeat": {"shape": "drawn", "rate": 1.1, "line": HEART},
        "Stairs": {"shape": "drawn", "rate": Beats(1.0), "start": "free", "line": STAIRS},
        "One fall": {"shape": "down", "rate": 3.0, "start": "once"},
    },
    "modulator.curve": {
        name: {"line": READY[name], "length": length}
        for name, length in (
            ("Swell and drop", 4.0),
            ("Two hills", 3.0),
            ("Fast fall", 0.6),
            ("Strike, rise, tail", 5.0),
            ("Bursts", 0.25),
            ("Denser stutter", Beats(8.0)),
            ("Riser", Beats(16.0)),
            ("Faller", Beats(4.0)),
        )
    },
    "modulator.chance": {
        "Every note its own": {"way": "note"},
        "Drifting seed": {"way": "smooth", "rate": 0.4},
        "Restless moth": {"way": "chaotic", "rate": 2.0},
        "Sixteenth dice": {"way": "stepped", "rate": Beats(0.25), "voices": "all", "smooth": 0.01},
    },
    "modulator.steps": {
        "Scattered": {"row": SCATTER},
        "Gate in eighths": {"row": GATE, "rate": Beats(0.5), "smooth": 0.003},
        "Sixteen up": {"row": RAMPS},
        "Trickle": {"row": TRICKLE, "smooth": 0.03},
    },
    "filter.state_variable": {
        "Dark pane": {"on": True, "response": "low 24", "cutoff": 480.0, "resonance": 0.15, "follow": 0.5},
        "Thin air": {"on": True, "response": "high 12", "cutoff": 600.0, "follow": 1.0},
        "Reed throat": {"on": True, "response": "band 12", "cutoff": 900.0, "resonance": 0.5, "follow": 1.0},
    },
    "filter.ladder": {
        "Warm ladder": {"on": True, "cutoff": 900.0, "resonance": 0.25, "drive": 6.0, "follow": 0.4},
        "Singing ladder": {"on": True, "cutoff": 700.0, "resonance": 0.96, "follow": 1.0},
    },
    "filter.acid": {
        "Rubber hose": {"on": True, "cutoff": 300.0, "resonance": 0.82, "drive": 10.0, "follow": 0.35},
        "Bent wire": {"on": True, "character": "wire", "cutoff": 600.0, "resonance": 0.9, "drive": 12.0},
    },
    "filter.comb": {
        "Struck wire": {"on": True, "resonance": 0.955, "damping": 7000.0},
        "Clay pipe": {"on": True, "resonance": 0.9, "damping": 3000.0, "teeth": "odd", "distance": -12.0},
    },
    "filter.formant": {"Choir stall": {"on": True, "vowel": 5.0, "throat": "women", "resonance": 0.55}},
    "drive.shaper": {
        "Warm bulb": {"on": True, "way": "tube", "amount": 9.0, "wet": 0.6},
        "Folded leaf": {"on": True, "way": "sine", "amount": 8.0, "tone": 9000.0},
        "Two-faced": {"on": True, "way": "drawn", "amount": 6.0},
        "Worn chip": {"on": True, "way": "reduce", "bits": 5.0, "hold": 9000.0, "amount": 0.0},
    },
    "effect.gate": {
        "Slats": {"length": 0.8, "soft": 0.008},
        "Long shutters": {"steps": 8, "pace": Beats(0.5), "soft": 0.02},
    },
    "effect.multiband": {"Even light": {"depth": 0.35}, "Pressed flowers": {"depth": 0.8, "release": 0.2}},
    "effect.rotary": {"Slow fan": {"pace": "slow", "wet": 0.5}, "Quick fan": {"pace": "fast", "wet": 0.6}},
    "effect.compressor": {
        "Held together": {"threshold": -20.0, "ratio": 2.5, "attack": 0.02, "release": 0.15, "makeup": 3.0},
        "Drum glue": {"threshold": -18.0, "ratio": 4.0, "attack": 0.003, "release": 0.09, "makeup": 4.0},
    },
    "effect.delay": {
        "Garden wall": {"left": Beats(0.75), "right": Beats(0.5), "feedback": 0.35, "tone": 4200.0, "wet": 0.25},
        "Close pane": {"left": 0.018, "right": 0.027, "feedback": 0.1, "wet": 0.3},
        "Long walk": {"left": Beats(1.5), "right": Beats(1.0), "feedback": 0.55, "tone": 2600.0, "wet": 0.3},
    },
    "source.wave": {
        "Wide saw": {"shape": "saw", "unison": 7, "detune": 16.0, "spread": 0.8},
        "Hollow reed": {"shape": "pulse", "width": 0.3, "drift": 0.3},
    },
}

CHAINS: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "Garden room": [
        ("chorus", {"wet": 0.3}),
        ("delay", {"left": Beats(0.75), "right": Beats(0.5), "feedback": 0.3, "tone": 4200.0, "wet": 0.2}),
        ("reverb", {"wet": 0.25}),
    ],
    "Drum shed": [
        ("drive", {"way": "tube", "amount": 4.0, "wet": 0.5}),
        ("compressor", {"threshold": -18.0, "ratio": 4.0, "attack": 0.003, "release": 0.09, "makeup": 4.0}),
        ("limiter", {}),
    ],
    "Wide and far": [("phaser", {"wet": 0.4}), ("thicken", {"wet": 0.5}), ("reverb", {"wet": 0.45})],
}


def make(folder: Path) -> int:
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.glob("*.json"):
        old.unlink()
    count = 0
    for place, made in MADE.items():
        family, kind = place.split(".")
        for name, values in made.items():
            module = FAMILIES[family].kinds[kind]()
            for key, value in values.items():
                module = module.with_value(key, value)
            (folder / f"{slug(f'{kind} {name}')}.json").write_text(write_snippet(name, module))
            count += 1
    for name, steps in CHAINS.items():
        effects = []
        for kind, values in steps:
            effect = Effect.kinds[kind]()
            for key, value in values.items():
                effect = effect.with_value(key, value)
            effects.append(effect)
        (folder / f"{slug(f'{CHAIN} {name}')}.json").write_text(write_chain(name, effects))
        count += 1
    return count


if __name__ == "__main__":
    print(f"{make(SNIPPETS)} snippets in {SNIPPETS}")
