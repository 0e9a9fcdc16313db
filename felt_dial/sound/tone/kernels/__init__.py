"""Kernels of drives and filters.

- `comb`: a tuned delay in a loop, four voices at a time.
- `core/`: What kernels of drives and filters share.
- `drive`: bends waves by a curve, note by note or as one chord, with few aliases.
- `formant`: three resonances along a line of vowels, four voices at a time.
- `ladder`: loops that give way, four voices at a time.
- `shelf`: Shelves, four voices at a time.
- `state_variable`: State-variable filter, four voices at a time.
"""
