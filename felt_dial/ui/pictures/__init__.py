"""Pictures, each true to the running patch.

- `analysis`: Pictures of what is heard: spectrum, spectrogram, scope, stereo field, and a meter before and after
  every stage.
- `bars`: the dials of a module that has no picture of its own.
- `drawn_lines`: Drawn lines under the hand: the shapes of LFOs, curves and threads, edited where they are shown.
- `drives`: what the curve makes of a wave, from none to full scale on both sides.
- `effect_curves`: Pictures of effects that are a curve: over frequency, over level, over time; the equaliser is
  edited in its own.
- `effect_levels`: Pictures of effects that work on the level: static curves with what they do now, bands, and the
  steps of a gate.
- `effects`: each kind has the one that suits it, and any other shows its values.
- `filters`: The filter's curve, drawn from the same formula that the checks use, and edited where it is shown.
- `modulators`: envelopes, edited where they are shown, chances, blends, followers.
- `points`: Points of drawings in figures: what is said beside one while it is moved, and what is typed for it.
- `recordings`: Pictures of sources that play recordings: where they begin, loop and travel, and where the note is.
- `redrawing`: Pictures that have another size are drawn anew a few at a time, so that laying out a page does not wait
  for all of them.
- `registry`: The picture that suits a module: the module names it, the pictures of this folder say what they draw.
- `roll`: the notes of a phrase, drawn over time and keys, with their velocities under them.
- `sample_bench`: Pictures of the sample bench: the wave, and what it shares with the spectrum, with which it scrolls
  and zooms.
- `sample_parts`: Small pictures of the sample bench: the seam of a loop as it will sound, and the shape of a part.
- `sample_spectrum`: The spectrum of the recording on the sample bench, in which parts are chosen.
- `sources`: what a layer starts from.
- `step_rows`: Rows of steps under the hand: bars that are drawn with one stroke, one lane at a time.
- `swatch`: the spectrogram of a preset, dyed.
- `table_bench`: Pictures of the wavetable bench: frames as a stack, one frame under the pen, its harmonics, the
  strip, the reshaping.
- `well`: the dark ground of every picture, and how a curve is drawn in it.
"""
