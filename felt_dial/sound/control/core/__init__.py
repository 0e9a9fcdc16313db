"""What modulators share.

- `clock`: what goes round at a rate, for everything that turns or steps.
- `layout`: Where every parameter as modulated stands in memory, and the call of the kernel that fills it.
- `line`: points with bends, read at any place; the same form for LFOs, curves and the shapes of threads.
- `order`: what is worked out when, so that a mover moved by another is late only in a true loop.
- `records`: Modulators, threads and parameters as records that a kernel can read.
"""
