"""Kernels that every program needs.

- `mix`: Small kernels between the modules: pitch, level and pan, guards, half-band, loudness.
- `rates`: Half-band filters and delays, compiled.
"""
