"""Where matter is made: tables from cycles and recordings, recordings cut, split, joined and bounced. No window, no engine.

table/       the wavetable bench: recipes, key frames, what lies between, reshaping, mending, scores
recording/   the sample bench: steps, roots, loops, parts, choices in the spectrum, splices, slices
"""
