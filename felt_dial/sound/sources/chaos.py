"""Chaos: systems that never quite repeat, driven at the pitch of the note."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Source
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import PERCENT

Numbers = NDArray[np.float64]
DUFFING, LORENZ, PENDULUM = range(3)
DRIVE = 4
"""Place of the drive's phase among the numbers of a system."""


class Chaos(Source, kind="chaos"):
    """A swinging system driven at the pitch of the note: calm and tonal, then doubled, then wild."""

    picture, order = "chaos", 7
    splices = frozenset({"system"})

    system = Choice(
        "System",
        "spring",
        {"spring": "Spring", "weather": "Weather", "pendulum": "Double pendulum"},
        rebuilds=True,
        says="A spring with two resting places, rolls of warm air, or a pendulum that hangs on another.",
    )
    energy = Param("Energy", 0.25, (0.0, 1.0), PERCENT, says="How hard the system is driven: more is wilder.")
    coupling = Param(
        "Coupling", 0.6, (0.0, 1.0), PERCENT, says="How firmly it follows the pitch, or its parts one another."
    )
    damping = Param("Damping", 0.4, (0.0, 1.0), PERCENT, says="How fast it forgets: more is calmer.")
    width = Param(
        "Width", 0.5, (0.0, 1.0), PERCENT, says="How different left and right are: two sides of the same motion."
    )

    def gist(self) -> str:
        return self.params["system"].write(self.get("system"))


def slopes(system: int, x: Numbers, energy: float, coupling: float, damping: float, drive: float, d: Numbers) -> None:
    """How fast the four numbers `x` change, into `d`, per turn of the drive.

    Spring: G. Duffing's equation with two wells, x″ = x − x³ − δx′ + γ cos θ. Weather: E. N. Lorenz, J.
    Atmos. Sci. 20, 1963, driven in its first equation. Pendulum: two equal arms, the first driven.
    """
    push = math.cos(2.0 * math.pi * drive)
    if system == DUFFING:
        delta, gamma = 0.12 + 0.5 * damping, 0.12 + 0.6 * energy * energy
        pace = 2.0 * math.pi / 1.2
        d[0] = pace * x[1]
        d[1] = pace * (x[0] - x[0] * x[0] * x[0] - delta * x[1] + gamma * push * (0.4 + coupling))
        d[2] = pace * (x[0] - x[2]) * (0.2 + coupling)
        d[3] = 0.0
    elif system == LORENZ:
        rho, sigma, beta = 8.0 + 62.0 * energy * energy, 10.0, 8.0 / 3.0 * (0.4 + 1.2 * damping)
        pace = 0.12 + 5.2 / math.sqrt(sigma * rho)
        d[0] = pace * (sigma * (x[1] - x[0]) + 160.0 * coupling * push)
        d[1] = pace * (x[0] * (rho - x[2]) - x[1])
        d[2] = pace * (x[0] * x[1] - beta * x[2])
        d[3] = 0.0
    else:
        a, b, u, v = x[0], x[1], x[2], x[3]
        g = 2.0 * math.pi * 1.3
        rub = 0.15 + 1.5 * damping
        c, s = math.cos(a - b), math.sin(a - b)
        tie = 0.15 + 0.8 * coupling
        torque = g * (0.25 + 2.2 * energy) * push
        left = torque - rub * u - 2.0 * g * math.sin(a) - tie * s * v * v
        right = -rub * v - g * math.sin(b) + tie * s * u * u
        below = 2.0 - tie * tie * c * c
        d[0], d[1] = 2.0 * math.pi * u, 2.0 * math.pi * v
        d[2] = 2.0 * math.pi * (left - tie * c * right) / below
        d[3] = 2.0 * math.pi * (2.0 * right - tie * c * left) / below


def advance(
    system: int, state: Numbers, row: int, dt: float, energy: float, coupling: float, damping: float, room: Numbers
) -> None:
    """One step of the classical Runge–Kutta method over `dt` turns of the drive, held within bounds."""
    k, mid, total = room[0], room[1], room[2]
    for i in range(4):
        total[i] = 0.0
    drive = state[row, DRIVE]
    for stage in range(4):
        part = 0.0 if stage == 0 else (1.0 if stage == 3 else 0.5)
        for i in range(4):
            mid[i] = state[row, i] + part * dt * k[i]
        slopes(system, mid, energy, coupling, damping, drive + part * dt, k)
        weight = 1.0 if stage in (0, 3) else 2.0
        for i in range(4):
            total[i] += weight * k[i]
    for i in range(4):
        moved = state[row, i] + dt / 6.0 * total[i]
        state[row, i] = min(max(moved, -200.0), 200.0)
    if system == PENDULUM:
        for i in range(2):
            state[row, i] -= 2.0 * math.pi * np.floor((state[row, i] + math.pi) / (2.0 * math.pi))
            state[row, i + 2] = min(max(state[row, i + 2], -8.0), 8.0)
    state[row, DRIVE] = (drive + dt) % 1.0


def portrait(source: Chaos, points: int = 700) -> NDArray[np.float64]:
    """The path of a system over its first turns, two of its numbers, each within −1 and 1; shape (2, points)."""
    state, room = np.zeros((1, 7)), np.zeros((3, 4))
    state[0, :4] = 0.4
    system = list(Chaos.choice_of("system").ids).index(str(source.get("system")))
    energy, coupling, damping = (source.number(name) for name in ("energy", "coupling", "damping"))
    found = np.zeros((2, points))
    for n in range(points + 120):
        advance(system, state, 0, 1 / 40, energy, coupling, damping, room)
        if n >= 120:
            a, b = (state[0, 0], state[0, 2]) if system == LORENZ else (state[0, 0], state[0, 1])
            found[:, n - 120] = (math.sin(a), math.sin(b)) if system == PENDULUM else (a, b)
    spread = np.abs(found - found.mean(axis=1, keepdims=True)).max(axis=1, keepdims=True)
    return np.asarray((found - found.mean(axis=1, keepdims=True)) / np.maximum(spread, 1e-9))
