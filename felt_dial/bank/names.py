"""Names on offer: from the words that a bank's own presets are called by, and never one that is taken."""

from __future__ import annotations

import random
from collections.abc import Iterable, Sequence

from felt_dial.bank.features import Features

FIRST = (
    *(
        "Amber",
        "Birch",
        "Brittle",
        "Dusk",
        "Ember",
        "Fallen",
        "Fern",
        "Flint",
        "Frost",
        "Hollow",
        "Lamp",
        "Low",
        "Mist",
    ),
    *(
        "Moss",
        "Night",
        "Old",
        "Pale",
        "Quick",
        "Rust",
        "Salt",
        "Shard",
        "Silver",
        "Slow",
        "Stone",
        "Thaw",
        "Velvet",
        "Wing",
    ),
)
SECOND = (
    *(
        "Bell",
        "Bloom",
        "Branch",
        "Choir",
        "Clock",
        "Drift",
        "Drop",
        "Field",
        "Flicker",
        "Fold",
        "Gate",
        "Glass",
        "Haze",
    ),
    *(
        "Hum",
        "Lantern",
        "Line",
        "Path",
        "Pool",
        "Reed",
        "Root",
        "Snap",
        "Spark",
        "Stair",
        "Sting",
        "Tide",
        "Wake",
        "Wire",
    ),
)
LONGEST = 24


def words_of(names: Iterable[str]) -> tuple[list[str], list[str]]:
    """The first and the last words of names of two words and more, in order, each once."""
    firsts, lasts = dict[str, None](), dict[str, None]()
    for name in names:
        words = [word for word in name.split() if word[:1].isalpha() and len(word) < 14]
        if len(words) >= 2 and not any(word.isdigit() for word in words):
            firsts[words[0]] = lasts[words[-1]] = None
    return list(firsts), list(lasts)


def on_offer(names: Sequence[str], taken: Iterable[str], count: int = 5, seed: object = 0, near: str = "") -> list[str]:
    """Names made of the words of a bank's names, the same for the same seed; one keeps the first word of `near`.

    None is taken, whatever its case.
    """
    firsts, lasts = words_of(names)
    chance = random.Random(f"{seed}")
    gone = {name.casefold() for name in taken}
    firsts, lasts = [*firsts, *FIRST], [*lasts, *SECOND]
    found: list[str] = []
    if near.split():
        kept = near.split()[0]
        for last in chance.sample(lasts, len(lasts)):
            name = f"{kept} {last}"
            if name.casefold() not in gone and last != kept:
                found.append(name)
                gone.add(name.casefold())
                break
    for _ in range(400):
        if len(found) >= count:
            break
        first, last = chance.choice(firsts), chance.choice(lasts)
        name = f"{first} {last}"
        if first.casefold() != last.casefold() and len(name) <= LONGEST and name.casefold() not in gone:
            found.append(name)
            gone.add(name.casefold())
    return found


def working_name(kind: str, features: Features | None, taken: Iterable[str]) -> str:
    """A name for a sound that nobody has named yet, from what it is: `Bright short bass 3`."""
    words = []
    if features is not None and features.length > 0.0:
        words.append("bright" if features.bright > 4.2 else "dark" if features.bright < 2.2 else "")
        words.append("short" if features.length < 0.5 else "long" if features.length > 1.6 else "")
        words.append("noisy" if features.noise > 0.75 else "")
    words.append(kind.lower() or "sound")
    plain = " ".join(word for word in words if word)
    plain = plain[:1].upper() + plain[1:]
    gone = {name.casefold() for name in taken}
    n = 1
    while f"{plain} {n}".casefold() in gone:
        n += 1
    return f"{plain} {n}"
