"""Kernels that every program needs.

- `arranging`: Small kernels of the way through a block: what is copied, added and decided between the modules.
- `finer_voices`: Voices up to four times the rate and down again, four of them at once.
- `mix`: Small kernels between the modules: pitch, level and pan, guards, half-band, loudness.
- `rates`: Half-band filters and delays, compiled.
"""
