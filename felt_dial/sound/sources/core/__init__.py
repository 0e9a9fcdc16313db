"""What sources share, without kernels.

- `bandlimited`: Band-limited single cycles: one table for every number of harmonics that fits under a limit.
- `cyclic`: What sources share that read single cycles: where a note begins in them, and how its tuning drifts.
- `levels`: single cycles cut from a recording and made band-limited, at every number of harmonics that may fit.
- `travel`: where in a recording one is, against time, drawn by the designer.
- `unison`: one note as several voices, detuned and spread, at the power of one.
"""
