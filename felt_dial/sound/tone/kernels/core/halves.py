"""Up to twice the rate and down again, eight lanes at once: the half-bands of `tone.core.halves`.

Sections follow each other in two chains. Each is y = c (x − y₁) + x₁, written so that only one multiplication waits for
the frame before.
"""

from __future__ import annotations

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.simd.memory import load, store

UP_FIRST, DOWN_FIRST, UP_LATER, DOWN_LATER = 6, 7, 5, 6
"""Numbers that each keeps."""


@kernel
def up_first(x, y, count, c, s):
    """`count` rows of `x` become twice as many of `y`, by five sections `c`; `s` are the numbers it keeps (number, 8)."""
    c0, c1, c2, c3, c4 = c[0], c[1], c[2], c[3], c[4]
    i, a, b, d, e, f = load(s, 0), load(s, 1), load(s, 2), load(s, 3), load(s, 4), load(s, 5)
    for n in range(count):
        v = load(x, n)
        p = (c0 * v + i) - c0 * a
        q = (c2 * p + a) - c2 * b
        r = (c4 * q + b) - c4 * d
        g = (c1 * v + i) - c1 * e
        h = (c3 * g + e) - c3 * f
        i, a, b, d, e, f = v, p, q, r, g, h
        store(y, 2 * n, r)
        store(y, 2 * n + 1, h)
    store(s, 0, i)
    store(s, 1, a)
    store(s, 2, b)
    store(s, 3, d)
    store(s, 4, e)
    store(s, 5, f)


@kernel
def down_first(x, count, c, s):
    """The way back of `up_first`, in place: the first `count` rows of `x` become what twice as many were."""
    c0, c1, c2, c3, c4 = c[0], c[1], c[2], c[3], c[4]
    i, a, b, d, j, e, f = load(s, 0), load(s, 1), load(s, 2), load(s, 3), load(s, 4), load(s, 5), load(s, 6)
    for n in range(count):
        v, w = load(x, 2 * n + 1), load(x, 2 * n)
        p = (c0 * v + i) - c0 * a
        q = (c2 * p + a) - c2 * b
        r = (c4 * q + b) - c4 * d
        g = (c1 * w + j) - c1 * e
        h = (c3 * g + e) - c3 * f
        i, a, b, d, j, e, f = v, p, q, r, w, g, h
        store(x, n, 0.5 * (r + h))
    store(s, 0, i)
    store(s, 1, a)
    store(s, 2, b)
    store(s, 3, d)
    store(s, 4, j)
    store(s, 5, e)
    store(s, 6, f)


@kernel
def up_later(x, y, count, c, s):
    """As `up_first`, by four sections."""
    c0, c1, c2, c3 = c[0], c[1], c[2], c[3]
    i, a, b, e, f = load(s, 0), load(s, 1), load(s, 2), load(s, 3), load(s, 4)
    for n in range(count):
        v = load(x, n)
        p = (c0 * v + i) - c0 * a
        q = (c2 * p + a) - c2 * b
        g = (c1 * v + i) - c1 * e
        h = (c3 * g + e) - c3 * f
        i, a, b, e, f = v, p, q, g, h
        store(y, 2 * n, q)
        store(y, 2 * n + 1, h)
    store(s, 0, i)
    store(s, 1, a)
    store(s, 2, b)
    store(s, 3, e)
    store(s, 4, f)


@kernel
def down_later(x, count, c, s):
    """As `down_first`, by four sections."""
    c0, c1, c2, c3 = c[0], c[1], c[2], c[3]
    i, a, b, j, e, f = load(s, 0), load(s, 1), load(s, 2), load(s, 3), load(s, 4), load(s, 5)
    for n in range(count):
        v, w = load(x, 2 * n + 1), load(x, 2 * n)
        p = (c0 * v + i) - c0 * a
        q = (c2 * p + a) - c2 * b
        g = (c1 * w + j) - c1 * e
        h = (c3 * g + e) - c3 * f
        i, a, b, j, e, f = v, p, q, w, g, h
        store(x, n, 0.5 * (q + h))
    store(s, 0, i)
    store(s, 1, a)
    store(s, 2, b)
    store(s, 3, j)
    store(s, 4, e)
    store(s, 5, f)
