"""JSON documents, each of a kind with a format of its own.

- `changes`: Changes of parameters between two formats: they get another name, or become several.
- `kind`: each has its own format number, its own migrations, and its own words for what is wrong.
- `patch`: written whole, read with one clear sentence for everything that is wrong.
"""
