"""Kernels of playing.

- `counted_chance`: Counted chance, compiled.
"""
