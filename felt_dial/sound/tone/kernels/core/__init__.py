"""What kernels of drives and filters share.

- `cutoff`: at every tick, and between two of them.
- `halves`: Up to twice the rate and down again, eight lanes at once: the half-bands of `tone.core.halves`.
- `transfer`: Transfer curves and their areas, of numbers and of lanes.
- `voices`: What a drive or a filter is given, and the frames that work on four voices at a time with it.
"""
