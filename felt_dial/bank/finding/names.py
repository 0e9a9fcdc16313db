"""Names on offer: from the words that a bank's own presets are called by, and never one that is taken."""

from __future__ import annotations

import random
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

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


def on_offer(
    names: Sequence[str],
    taken: Iterable[str],
    count: int = 5,
    seed: object = 0,
    near: str = "",
    words: Sequence[str] = (),
) -> list[str]:
    """Names made of the words of a bank's names, the same for the same seed; one keeps the first word of `near`.

    The bank's own list of `words` comes first, where it has one: then no name is without one of them.

    None is taken, whatever its case.
    """
    firsts, lasts = words_of(names)
    chance = random.Random(f"{seed}")
    gone = {name.casefold() for name in taken}
    own = list(dict.fromkeys(word[:1].upper() + word[1:] for word in words))
    firsts, lasts = ([*firsts, *own], [*lasts, *own]) if own else ([*firsts, *FIRST], [*lasts, *SECOND])
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
        if own and first not in own and last not in own:
            first, last = (chance.choice(own), last) if chance.random() < 0.5 else (first, chance.choice(own))
        name = f"{first} {last}"
        if first.casefold() != last.casefold() and len(name) <= LONGEST and name.casefold() not in gone:
            found.append(name)
            gone.add(name.casefold())
    return found


def words_of_swatch(swatch: NDArray[np.uint8]) -> list[str]:
    """What a swatch shows: `bright` or `dark` by where its power is, `short` or `long` by how soon it is gone."""
    power = 10.0 ** ((swatch[::-1].astype(np.float64) / 255 * 84 - 84) / 10)
    octaves = np.linspace(0.0, 10.0, len(power))[:, None]
    middle = float((power * octaves).sum() / max(float(power.sum()), 1e-12))
    level = power.sum(axis=0)
    heard = np.flatnonzero(level > level.max() * 1e-3)
    share = (heard[-1] + 1) / len(level) if len(heard) else 0.0
    tone = "bright" if middle > 6.0 else "dark" if middle < 3.6 else ""
    return [word for word in (tone, "short" if share < 0.3 else "long" if share > 0.97 else "") if word]


def working_name(kind: str, words: Sequence[str], taken: Iterable[str]) -> str:
    """A name for a sound that nobody has named yet, from what it is: `Bright short bass 3`."""
    words = [*words, kind.lower() or "sound"]
    plain = " ".join(word for word in words if word)
    plain = plain[:1].upper() + plain[1:]
    gone = {name.casefold() for name in taken}
    n = 1
    while f"{plain} {n}".casefold() in gone:
        n += 1
    return f"{plain} {n}"
