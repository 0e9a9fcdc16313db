"""Towards a recording: how near a sound is to one, and the search for the dials that bring it nearer.

Pure: nothing here renders; `aiming` does, in helpers. Each dial is tried by itself; from how each changes the picture follows
where all of them together would bring it, by damped least squares (K. Levenberg, Quarterly of Applied Mathematics 2, 1944;
D. Marquardt, SIAM Journal 11, 1963). Around the best, the dials that matter most are searched by the strategy of N. Hansen and
A. Ostermeier (Evolutionary Computation 9(2), 2001). Where that stands still, the same is begun anew at other places, drawn by
chance (common practice: there is more than one valley).
"""

from __future__ import annotations

import math
import warnings
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.measuring.features import mel_edges
from felt_dial.bank.variation.variations import VariationOptions, dials, directions
from felt_dial.patch.patch import Patch, put_value

BANDS, LOOK, STEP_SECONDS = 40, 0.0427, 0.0107
LOWEST, HIGHEST = 40.0, 11000.0
FLOOR_DB = -60.0
BLUR = (8, 5)
"""Looks and bands that are taken together from afar."""
SAME_DB = 12.0
"""dB in the mean by which a sound that is plainly another differs."""
STEP, MOST = 0.22, 20
"""How far each dial is tried, of its way from end to end, and how many of them are searched at once."""
AGAIN = 36
"""How many of them, those that mattered most, are tried again later."""
HEAVY = 0.1
"""Dials of less weight than this, by which a sound gets dearer rather than other, are left alone."""
POPULATION, SIGMA = 12, 0.17
FINE_STEP = 0.1
"""The same where they are tried again."""
DAMPING = (0.03, 0.1, 0.3, 1.0, 3.0, 10.0)
"""How strongly dials are held where they are in the joint steps that are tried: six of them, from bold to shy."""
WORTH_ANOTHER, MOST_JOINT = 0.06, 5
"""A joint step that brought more than this part is followed by another, so often at most."""
STALE, LEAST = 7, 0.008
"""After so many generations that brought less than this part, all dials are tried again from where it has come to."""


ROAMED, SCOUTED, FAR_OFF = 60, 10, 0.4
"""At how many places by chance it is looked; from how many of them, the nearest, steps of all dials are tried, before one is
worked on; and how far off they are, as offshoots are."""

Row = NDArray[np.float64]
"""The places of all dials, 0 to 1; then how it is played: how long the key is held, 0 to 1, and the number of the key."""
KEYS_TRIED, HELD, SHORTER = 24, 0.84, (0.65, 0.45, 0.25)
"""At how many keys at most, and held for how long of the whole, sounds are tried before anything is changed."""
PLAINLY_NEARER = 0.8
"""As far as this part of how far it is at the likeliest key is plainly nearer."""
KEYS_AGAIN = 4
"""At how many of those keys, the nearest, it is tried again later."""
Picture = NDArray[np.float64]
"""A sound as it is compared, (look, 40): mel bands in dB under the mean power of its loudest tenth, from −60 on, so that
level is aligned."""


def picture_of(sound: NDArray[np.float32], rate: float, looks: int) -> Picture:
    """So many looks at a sound, float32 (channels, frames), 10.7 ms apart; silence behind its end."""
    size, hop = 2 * round(LOOK * rate / 2), round(STEP_SECONDS * rate)
    mono = sound.mean(axis=0)
    need = (looks - 1) * hop + size
    mono = np.pad(mono, (size // 2, max(need - len(mono), 0)))[:need]
    views = np.lib.stride_tricks.sliding_window_view(mono, size)[::hop][:looks]
    power = np.square(np.abs(np.fft.rfft(views * np.hanning(size).astype(np.float32), axis=1))).astype(np.float64)
    edges = mel_edges(LOWEST, HIGHEST, BANDS, rate, size)
    bands = np.add.reduceat(power[:, : edges[-1]], edges[:-1], axis=1)
    levels = np.sort(bands.sum(axis=1))[::-1]
    loud = float(levels[: max(looks // 10, 1)].mean())
    return np.asarray(np.maximum(10 * np.log10(np.maximum(bands / max(loud, 1e-18), 1e-12)), FLOOR_DB))


def blurred(picture: Picture) -> Picture:
    """A picture as if from afar, (look / 8, 8): how much there is of what, more than where exactly."""
    looks, bands = max(len(picture) // BLUR[0], 1), BANDS // BLUR[1]
    part = 10 ** (np.resize(picture, (looks * BLUR[0], BANDS)) / 10)
    mean = part.reshape(looks, BLUR[0], bands, BLUR[1]).mean(axis=(1, 3))
    return np.asarray(np.maximum(10 * np.log10(mean), FLOOR_DB))


def _apart(one: Picture, other: Picture) -> float:
    """Mean difference in dB; the loud parts of either count most."""
    weight = 0.05 + np.square(1 + np.maximum(one, other) / -FLOOR_DB)
    return float((np.abs(one - other) * weight).sum() / weight.sum())


def apart(one: Picture, other: Picture) -> float:
    """How far two sounds are apart: 0 for the same, about 1 for plainly another.

    Near at hand and from afar, so that a search is led to the right place before details are the same.
    """
    return 0.5 * (_apart(one, other) + _apart(blurred(one), blurred(other))) / SAME_DB


Away = NDArray[np.float32]
"""How a sound is different from a recording: what there is too much and too little of, where, as one row of numbers."""


def away(one: Picture, other: Picture) -> Away:
    """How one picture is different from another: nearer at hand, then from afar, both of the same weight."""
    parts = []
    for looks, bands in ((2, 2), BLUR):
        many, across = max(len(one) // looks, 1), BANDS // bands
        rows = [
            np.resize(picture, (many * looks, BANDS)).reshape(many, looks, across, bands) for picture in (one, other)
        ]
        difference = rows[0].mean(axis=(1, 3)) - rows[1].mean(axis=(1, 3))
        parts.append(difference.ravel() / math.sqrt(difference.size))
    return np.concatenate(parts).astype(np.float32)


def joint_steps(base: Away, changes: NDArray[np.float64], low: Row, high: Row) -> list[Row]:
    """Steps of several dials together that would bring what is different nearest to nothing, as far as they add up.

    `changes` is (number, dial), what a whole way of each dial would change; `low` and `high` are how far each may go.
    """
    from scipy.optimize import lsq_linear

    weigh = np.sqrt(np.square(changes).sum(axis=0))
    steps = []
    for damping in DAMPING:
        held = np.diag(math.sqrt(damping) * weigh + 1e-6)
        found = lsq_linear(
            np.vstack([changes, held]), np.concatenate([-base, np.zeros(len(weigh))]), (low, high), max_iter=20
        )
        steps.append(np.clip(found.x, low, high))
    return steps


class Playing(NamedTuple):
    """How a sound is played to be compared: the number of the key among those that are tried, and how long of the whole."""

    key: int = 0
    held: float = HELD


class Place(NamedTuple):
    """A place of all dials: how far it is, the row, and how it is different from the recording."""

    far: float
    row: Row
    away: Away | None


def _worth_scouting(places: list[Place]) -> list[Place]:
    """Places in the order in which they are worth it: by turns the nearest of all, and the nearest at the key that was seldom
    taken; a key that is the right one may look far off at first."""
    left, order, taken = sorted(places, key=lambda place: place.far), list[Place](), dict[float, int]()
    while left:
        by_key = len(order) % 2 == 1
        n = min(range(len(left)), key=lambda n: (taken.get(float(left[n].row[-1]), 0) if by_key else 0, n))
        place = left.pop(n)
        taken[float(place.row[-1])] = taken.get(float(place.row[-1]), 0) + 1
        order.append(place)
    return order


class Search:
    """Looks for the places of dials that bring a sound nearest; asked for rows to be tried, and told how far each is.

    Attributes
    ----------
    dials : list of Dial
        What may move.
    best : Row
        The nearest so far.
    far, began, plain : float
        How far that is; how far the sound itself was, played as it comes nearest; and played at the likeliest key.
    tried : int
        Rows that were tried.

    Rows may be told in any order; each is to be the array that was asked for. One that was asked for before the search
    turned elsewhere counts only where it is the best.
    """

    def __init__(self, patch: Patch, wishes: VariationOptions) -> None:
        self.dials = [dial for dial in dials(patch, wishes) if dial.weight >= HEAVY]
        self.patch = patch
        self.best = np.array([*(dial.place for dial in self.dials), HELD, 0.0])
        self.far = self.began = self.plain = math.inf
        self.tried = 0
        self._seed = wishes.seed
        self._waiting: list[NDArray[np.float64]] = [self.best.copy()]
        self._screen: list[tuple[int, float, float]] = []
        """What each dial brought that was tried by itself: which, at which place, how far."""
        self._to_screen = 0
        self._chosen: NDArray[np.int64] = np.zeros(0, np.int64)
        self._cma: Any = None
        self._helpful: list[tuple[int, float]] = []
        self._open: dict[int, tuple[NDArray[np.float64], int]] = {}
        """Rows that were asked for and not told yet, by their identity, each with the turn in which it was."""
        self._turn = self._rounds = 0
        self._order: NDArray[np.int64] = np.zeros(0, np.int64)
        self._told: list[tuple[NDArray[np.float64], float]] = []
        self._stale, self._mark = 0, math.inf
        self._here, self._here_far = self.best.copy(), math.inf
        """The place that is worked on, and how far that is: the best, or another while the best is left alone."""
        self._here_since = 0
        self._roamed: list[Place] = []
        """Places by chance that were not scouted yet."""
        self._scouted: list[Place] = []
        """Those that were, after steps of all dials."""
        self._to_roam = self._scouting = self._drawn = 0
        self._gone = False
        """Whether another place than the best is worked on."""
        self._home: tuple[NDArray[np.int64], list[int]] = self._order, []
        """Dials by how much they matter at the best, and those of them that are tried again."""
        self._worth_trying = list(range(len(self.dials) + 1))
        self._to_align, self._lengths_tried = 0, False
        self._at_keys: dict[float, float] = {}
        """How far the sound itself was at each key."""
        self._away: Away | None = None
        """How the place that is worked on is different from the recording."""
        self._aways: dict[int, Away] = {}
        """The same of each dial that was tried by itself."""
        self._joint: list[Row] = []
        self._to_join = self._joined = 0
        if self.dials:
            self._align([(-1, float(key)) for key in range(1, KEYS_TRIED)])

    # --- how it is played ----------------------------------------------------------------------

    def _align(self, places: list[tuple[int, float]]) -> None:
        """The best row is tried at other keys, or held longer or shorter."""
        self._base = self._here.copy()
        self._to_align = len(places)
        for at, place in places:
            row = self._here.copy()
            row[at] = place
            self._waiting.append(row)

    def _doubts(self, row: Row, far: float) -> bool:
        """Before anything is changed, another key than the likeliest has to come plainly nearer."""
        return bool(self._to_align and row[-1] != 0.0 and self.best[-1] == 0.0 and far > PLAINLY_NEARER * self.plain)

    def _take_aligned(self, row: Row, far: float) -> None:
        """It was played otherwise: after the keys come the lengths, after those the dials."""
        self._at_keys[float(row[-1])] = min(far, self._at_keys.get(float(row[-1]), math.inf))
        self._to_align -= 1
        if self._to_align:
            return
        if not self._lengths_tried:
            self._lengths_tried = True
            self._align([(-2, held) for held in SHORTER])
            return
        self.began = self._mark = self._began_at = self.far
        self._begin_screen()

    # --- trying each dial ----------------------------------------------------------------------

    def _begin_screen(self) -> None:
        """Every dial is tried by itself, towards its farther end."""
        self._turn += 1
        self._screen, self._cma = [], None
        self._base, self._other_way = self._here.copy(), False
        self._base_away, self._aways, self._began_at = self._away, {}, self._here_far
        self._try([(n, self._farther(n)) for n in self._worth_trying])
        if self._rounds + self._joined:
            self._try([(len(self._here) - 1, key) for key in self._nearest_keys() if key != self._here[-1]])

    def _nearest_keys(self) -> list[float]:
        """The keys at which the sound itself was nearest."""
        return sorted(self._at_keys, key=lambda key: self._at_keys[key])[:KEYS_AGAIN]

    def _farther(self, n: int) -> float:
        """A step of a dial towards its farther end."""
        place, step = float(self._here[n]), FINE_STEP if self._joined else STEP
        return place + (step if place < 0.5 else -step)

    def _try(self, places: list[tuple[int, float]]) -> None:
        for n, place in places:
            row = self._base.copy()
            row[n] = place
            self._waiting.append(row)
        self._to_screen += len(places)

    def _go_other_way(self) -> None:
        """Those that matter, and made it worse, are tried the other way too."""
        self._other_way = True
        worse = sorted((row for row in self._screen if row[2] >= self._mark), key=lambda row: -row[2])
        more = []
        for n, place, _ in worse[:MOST]:
            there = min(max(2 * self._base[n] - place, 0.0), 1.0)
            if abs(there - self._base[n]) > 0.02 and worse[0][2] > self._mark:
                more.append((n, there))
        self._try(more)

    def _end_screen(self) -> None:
        """Every dial was tried: those that changed most are searched, from where the helpful ones have been brought."""
        if self._here[-1] != self._base[-1]:  # at another key all is different
            self._mark = self._here_far
            self._begin_screen()
            return
        effect = np.zeros(len(self.best) - 1)
        better = dict[int, tuple[float, float]]()
        for n, place, far in self._screen:
            effect[n] = max(effect[n], abs(far - self._mark))
            if far < self._mark and far < better.get(n, (math.inf, 0.0))[0]:
                better[n] = (far, place)
        order = np.argsort(-effect, kind="stable")
        self._worth_trying = [int(n) for n in order[:AGAIN]]
        self._order = np.array([n for n in order if effect[n] > 1e-6], np.int64)
        self._chosen = np.array([n for n in order[:MOST] if effect[n] > 1e-6], np.int64)
        gains = sorted((far, n, place) for n, (far, place) in better.items())
        self._helpful = [(n, place) for _, n, place in gains[:MOST]] if not self._scouting else []
        self._join()
        if self._scouting and not self._to_join:
            self._take_scouted()

    def _join(self) -> None:
        """Where all dials together would bring it, as far as what each of them changes adds up."""
        self._joint = []
        if self._base_away is None or not self._aways:
            return
        moved = [(n, place) for n, place, _ in self._screen if n in self._aways]
        which = np.array(list(dict.fromkeys(n for n, _ in moved)))
        at = {n: place for n, place in reversed(moved)}  # the first way in which it was tried
        changes = np.stack(
            [(self._aways[n] - self._base_away) / (at[n] - self._base[n]) for n in which.tolist()], axis=1
        ).astype(np.float64)
        there = np.sqrt(np.square(changes).sum(axis=0)) > 1e-4
        which, changes = which[there], changes[:, there]
        if not len(which):
            return
        low, high = -self._base[which] - 1e-9, 1.0 - self._base[which] + 1e-9
        for step in joint_steps(self._base_away, changes, np.maximum(low, -0.5), np.minimum(high, 0.5)):
            row = self._base.copy()
            row[which] = np.clip(row[which] + step, 0.0, 1.0)
            self._joint.append(row)
        self._to_join = len(self._joint)

    def _start(self) -> None:
        """Begins to search around the best, over those dials that matter most; where none does, all are tried again."""
        from cmaes import CMA

        count = len(self._chosen)
        if count < 2:
            self._begin_screen()
            return
        self._turn += 1
        self._base, self._told, self._stale = self._here.copy(), [], 0
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            self._cma = CMA(
                mean=np.clip(self._base[self._chosen], 0.02, 0.98),
                sigma=SIGMA,
                bounds=np.tile([0.0, 1.0], (count, 1)),
                population_size=POPULATION,
                seed=self._seed + self._turn,
            )

    # --- asking and telling --------------------------------------------------------------------

    def ask(self, count: int) -> list[NDArray[np.float64]]:
        """So many rows to be tried next, or fewer; none while those that were asked for have to be told first.

        The first is the sound itself, by which all others are judged.
        """
        if self.tried == 0 or not self.dials:
            count = 0 if self._open or self.tried else 1
        rows: list[NDArray[np.float64]] = []
        while len(rows) < count and (row := self._next()) is not None:
            rows.append(row)
            self._open[id(row)] = row, self._turn
        return rows

    def _next(self) -> NDArray[np.float64] | None:
        """The next row to be tried; None while others have to be told first."""
        if self._waiting:
            return self._waiting.pop(0)
        if self._to_screen or self._to_align or self._to_roam:
            return None
        if self._joint:
            return self._joint.pop(0)
        if self._to_join:
            return None
        while self._helpful:  # one after the other, on top of what is best by now
            n, place = self._helpful.pop(0)
            if self._here[n] != place:
                row = self._here.copy()
                row[n] = place
                return row
        if self._cma is None:
            if self._open:
                return None
            self._settle()
        if self._cma is None:
            return self._next()
        row = self._base.copy()
        row[self._chosen] = self._cma.ask()
        return row

    def tell(self, rows: list[Row], fars: list[float], aways: Sequence[Away | None] | None = None) -> bool:
        """How far the rows are, and how they are different where that is known; True where one is nearer than any before."""
        before = self.far
        for row, far, other in zip(rows, fars, aways or [None] * len(rows), strict=True):
            _, turn = self._open.pop(id(row))
            self.tried += 1
            if self.tried == 1:  # the sound itself
                self.plain = self.began = self._mark = self._began_at = self._at_keys[0.0] = far
            if not self._doubts(row, far):
                if far < self._here_far and turn >= self._here_since and not self._to_roam:
                    self._here_far, self._here, self._away = far, row.copy(), other
                if far < self.far:
                    self.far, self.best = far, row.copy()
            if turn == self._turn:
                self._take(row, far, other)
        return self.far < before

    def _take(self, row: Row, far: float, other: Away | None) -> None:
        if self._to_align:
            if (row != self._base).any():
                self._take_aligned(row, far)
        elif self._to_roam:
            self._take_roamed(row, far, other)
        elif self._to_screen:
            self._take_screened(row, far, other)
        elif self._to_join:
            self._take_joined()
        elif self._cma is None:
            self._mark = self._here_far
        else:
            self._told.append((row[self._chosen], far))
            if len(self._told) == POPULATION:
                self._end_generation()

    def _take_joined(self) -> None:
        """One of the joint steps was tried; after the last, others from where they have come to, where that was worth it."""
        self._to_join -= 1
        if self._to_join:
            return
        self._mark = self._here_far
        if self._scouting:
            self._take_scouted()
            return
        if self._joined < MOST_JOINT and self._here_far < self._began_at * (1 - WORTH_ANOTHER):
            self._joined += 1
            self._begin_screen()
        else:
            self._joined = 0

    def _take_screened(self, row: Row, far: float, other: Away | None) -> None:
        """One dial was tried: which one it was is where the row is other than what all began from."""
        moved = np.flatnonzero(row != self._base)
        if not len(moved):  # the sound itself
            return
        n = int(moved[0])
        if n < len(row) - 1:  # and no other key, which is only good where it is the best
            self._screen.append((n, float(row[n]), far))
            if other is not None and n not in self._aways:
                self._aways[n] = other
        self._to_screen -= 1
        if not self._to_screen and not self._other_way and not self._scouting:
            self._go_other_way()
        if not self._to_screen:
            self._end_screen()

    def _end_generation(self) -> None:
        """So many were tried: the search learns from them, or turns to other dials where it stands still."""
        self._cma.tell(self._told)
        self._told = []
        gained = (self._mark - self._here_far) / max(self._mark, 1e-9)
        self._stale = 0 if gained > LEAST else self._stale + 1
        self._mark = min(self._mark, self._here_far)
        if self._stale < STALE and not self._cma.should_stop():
            return
        self._rounds += 1
        if self._rounds % 2 == 1:
            self._leave()
        elif self._rounds % 3 == 0:
            self._begin_screen()
        else:
            self._start_with_others()

    def _start_with_others(self) -> None:
        """Begins to search with other dials, and some of those that matter most."""
        rest = self._order[MOST // 2 :]
        others = np.random.default_rng([self._seed, self._rounds]).permutation(rest)[: MOST // 2]
        self._chosen = np.concatenate([self._order[: MOST // 2], others])
        self._start()

    # --- other places --------------------------------------------------------------------------

    def _leave(self) -> None:
        """Leaves the best alone for a while, and works on places by chance."""
        self._home, self._gone = (self._order, self._worth_trying), True
        self._roam()

    def _roam(self) -> None:
        """Looks at places by chance around where the sound itself stands, played as the best is, or at another likely key."""
        self._turn += 1
        self._cma, self._waiting = None, []
        self._to_roam = ROAMED
        stands = np.array([dial.place for dial in self.dials])
        keys = [0.0, *self._nearest_keys()]
        playings = [self.best[-2:], *(np.array([HELD, key]) for key in dict.fromkeys(keys) if key != self.best[-1])]
        for n in range(ROAMED):
            there = np.abs(stands + FAR_OFF * directions(self.dials, self._seed, self._drawn))
            there = np.clip(1.0 - np.abs(1.0 - there), 0.0, 1.0)  # what would go beyond an end comes back from it
            self._waiting.append(np.append(there, playings[n % len(playings)]))
            self._drawn += 1

    def _take_roamed(self, row: Row, far: float, other: Away | None) -> None:
        self._roamed.append(Place(far, row.copy(), other))
        self._to_roam -= 1
        if not self._to_roam:
            self._roamed = _worth_scouting(self._roamed)
            self._scouting, self._scouted = SCOUTED, []
            self._scout()

    def _scout(self) -> None:
        """Tries each dial, and steps of all, at the nearest of the places by chance that are left."""
        self._joined, self._worth_trying = 0, self._home[1]
        self._work_at(self._roamed.pop(0))

    def _work_at(self, place: Place) -> None:
        self._here_far, self._here, self._away = place
        self._mark = self._here_far
        self._begin_screen()
        self._here_since = self._turn

    def _take_scouted(self) -> None:
        """Steps of all dials were tried at one of them: the one that is nearest after that is worked on."""
        self._scouted.append(Place(self._here_far, self._here, self._away))
        self._scouting -= 1
        if self._scouting and self._roamed:
            self._scout()
            return
        self._scouting, self._roamed = 0, []
        self._joined, self._worth_trying = 0, list(range(len(self.dials) + 1))
        self._work_at(min(self._scouted, key=lambda place: place.far))

    def _settle(self) -> None:
        """All steps from here were taken: it is searched around it, or around the best where this has come to nothing."""
        if not self._gone or self._here_far <= self.far:
            self._gone = False
            self._start()
            return
        self._gone = False
        self._here, self._here_far = self.best.copy(), self.far
        self._order, self._worth_trying = self._home
        self._mark, self._here_since = self.far, self._turn + 1
        self._start_with_others()

    def patch_of(self, row: NDArray[np.float64]) -> Patch:
        """The sound with its dials at these places; one that stands where it stood keeps its value to the last digit."""
        made = self.patch
        for dial, place in zip(self.dials, row, strict=False):
            if place != dial.place:
                value = dial.param.at(float(min(max(place, 0.0), 1.0)), dial.beats)
                made = put_value(made, dial.path, dial.param.check(value))
        return made

    def playing_of(self, row: Row) -> Playing:
        """How a row is played."""
        return Playing(int(row[-1]), float(row[-2]))
