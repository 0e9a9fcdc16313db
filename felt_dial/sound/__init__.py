"""Notes and a patch in, samples out.

- `compiling/`: How kernels are declared, compiled and kept.
- `control/`: Modulators: one file a kind, its kernels under the same name in `kernels/`.
- `effects/`: Effects: one file a kind, its kernels under the same name in `kernels/`.
- `engine/`: A patch made ready to sound.
- `integrated`: How loud a whole sound is: LUFS of ITU-R BS.1770, integrated and gated.
- `loudness`: Loudness while it sounds: momentary and short-term, after ITU-R BS.1770-4.
- `matter/`: Recordings and tables.
- `modules`: Everything a patch can be made of: importing this enters all modules in their families.
- `playing/`: What a player does becomes voices.
- `render`: notes and a patch in, samples out, on the code that also plays live.
- `simd/`: Eight numbers at once; README.md says how.
- `sizes`: frames of a block and of a tick, voices, qualities.
- `sources/`: Sources: one file a kind, its kernels under the same name in `kernels/`.
- `spectra`: Spectra, pitch-locked pieces, correlation and true peak of what was just heard, for the pictures of it.
- `tone/`: Drives and filters: one file a kind, its kernels under the same name in `kernels/`.
"""
