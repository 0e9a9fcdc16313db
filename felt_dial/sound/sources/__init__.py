"""Sources: one file a kind, its kernels under the same name in `kernels/`.

- `chaos`: systems that never quite repeat, driven at the pitch of the note.
- `core/`: What sources share, without kernels.
- `grains`: a recording as a cloud; pitch follows the key, time does not.
- `kernels/`: Kernels of sources.
- `noise`: of any slope, as wide as wished, held in steps if wished, or a texture that goes round.
- `partials`: a recording, or drawn harmonics, made anew from sines that each go their own way.
- `sample`: a recording, played at the pitch of the note.
- `table`: single cycles in a row, read at the pitch of the note, morphing from one to the next.
- `wave`: the classic shapes, band-limited, from one to the next without a step.
"""
