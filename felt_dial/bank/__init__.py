"""The library: banks, presets, and what is known of them.

- `finding/`: Listing, searching and comparing what there is.
- `library/`: Banks, presets and what belongs to them, as files.
- `measuring/`: What is measured of sounds, beside the work.
- `variation/`: Other sounds from a sound: variations, and the way towards a recording.
"""
