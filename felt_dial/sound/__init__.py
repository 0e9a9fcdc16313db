"""Notes and a patch in, samples out.

- `compile`: Compiles every kernel into the cache, with progress: `python -m felt_dial.sound.compile`.
- `compiled`: The kernels of all modules: importing this imports Numba and every file of the `kernels` folders.
- `control/`: Modulators: one file a kind, its kernels under the same name in `kernels/`.
- `effects/`: Effects: one file a kind, its kernels under the same name in `kernels/`.
- `engine/`: A patch made ready to sound.
- `integrated`: How loud a whole sound is: LUFS of ITU-R BS.1770, integrated and gated.
- `kernel`: how functions are compiled, and how a module is tied to the one that computes it.
- `kernel_cache`: Where compiled kernels are kept, and whether one that is kept still holds.
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
