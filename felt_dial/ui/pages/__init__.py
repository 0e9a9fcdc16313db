"""The pages, found by themselves: each is a `Page` in the `page` file of its folder.

- `effects/`: The Effects page.
- `page`: a name, a place among the tabs, and what happens when it is opened.
- `patch/`: The Patch page.
- `shelf/`: The Shelf page.
- `threads/`: The Threads page.
- `workshop/`: The Workshop: the wavetable bench and the sample bench.
"""
