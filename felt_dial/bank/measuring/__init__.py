"""What is measured of sounds, beside the work.

- `deviation`: What is said of a sound that live is not what a render of it will be: how far, where, and by which
  module.
- `features`: what is measured of a sound so that one can be said to be like another, and how far two are apart.
- `figures`: what is known of the loudness and the look of sounds, and what is still to be measured.
- `index`: what was measured, by content. It can always be made anew.
- `live_against_render`: how far a sound as it is played lies from what a render of it will be, and what makes it so.
- `measurement`: its loudness, its peak and its swatch, from a render with the phrase of its kind.
- `measuring`: Measuring in the background: processes render while the window works and the sound plays.
- `probe_note`: Hearing a sound without a person: one note of it, and how loud a sound is. It renders, so it is for
  helpers.
- `worker`: What a process beside the window does to measure a preset: renders it, and listens.
"""
