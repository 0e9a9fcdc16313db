"""Kernels of sources.

- `chaos`: Chaotic systems, stepped at four times the rate.
- `core/`: What kernels of sources share.
- `grains`: when they begin, and the sum of those that sound.
- `noise`: Noise of any slope, held noise, and textures.
- `partials`: their levels and tunings at every tick, and the sum of their sines.
- `sample`: where each note is, its loop, and reading it.
- `table`: morphing between frames, and the six ways to reshape a cycle.
- `wave`: morphing, pulse width, hard sync.
"""
