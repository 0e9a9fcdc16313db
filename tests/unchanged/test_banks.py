"""What is told of a library and made of it: lists, searches, comparisons, names, offshoots, matter, snippets."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from felt_dial.bank.finding import search
from felt_dial.bank.finding.catalogue import Catalogue, uses_of
from felt_dial.bank.finding.compare import changed_modules, difference, with_module
from felt_dial.bank.finding.matter import LENGTHS, Matter, MatterQuery
from felt_dial.bank.finding.names import FIRST, SECOND, on_offer, words_of, working_name
from felt_dial.bank.library import import_preview, renaming
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.opened import Opened
from felt_dial.bank.library.package import export_bank, import_bank
from felt_dial.bank.library.phrases import read_phrase, write_phrase
from felt_dial.bank.library.places import Settings, lay_out_demo, shipped_banks, shipped_ids
from felt_dial.bank.library.snippets import (
    FAMILIES,
    Snippets,
    apply,
    read_snippet,
    settings_of,
    write_chain,
    write_snippet,
)
from felt_dial.bank.library.unused import unused
from felt_dial.bank.measuring.deviation import NOT_APART, apart_words, maker
from felt_dial.bank.measuring.features import features_of
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import Measurement, sound_key
from felt_dial.bank.measuring.probe_note import heard, levelled
from felt_dial.bank.measuring.worker import measure
from felt_dial.bank.variation.variation_render import (
    audible,
    cost_of,
    grow,
    parent_as_offshoot,
    parent_of,
    step_between,
)
from felt_dial.bank.variation.variations import (
    GROUPS,
    VariationOptions,
    asleep,
    between,
    changes,
    child,
    counts,
    dials,
    directions,
    group_of,
    layout,
    least_apart,
    spread,
    tunes,
)
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.module import Effect
from felt_dial.patch.patch import Patch, modules, slots
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.playing.phrases import PHRASES
from tests.unchanged import digest, plain, told, unchanged
from tests.unchanged.sounds import RATE, sounds
from tests.unchanged.test_listening import few
from tests.unchanged.test_patch import demo

QUERIES = (
    *(
        "",
        "glass",
        "gla dus",
        "kind:pad",
        "kind:Pad -drum",
        "uses:grains",
        "layers>3",
        "threads<=4",
        "cost<1",
        "-bell",
        "starred",
    ),
    *(
        "-starred",
        "unnamed",
        "opened",
        "unopened",
        "-opened",
        'name:"low"',
        "by:glasshouse",
        "macro:bright",
        "from:x",
        "colour:1",
    ),
    *(
        "word:warm",
        "loudness>-30",
        "length>=0,5",
        "layers=1 moss",
        "foo:bar",
        '"dew" rain',
        "a",
        "root -root",
        "character:slow",
        "%",
    ),
)


@pytest.fixture(scope="module")
def presets() -> dict[str, Patch]:
    return demo()


@pytest.fixture(scope="module")
def library(tmp_path_factory: pytest.TempPathFactory) -> Library:
    """The demo laid out, with one preset opened and one starred."""
    root = tmp_path_factory.mktemp("unchanged") / "library"
    lay_out_demo(root)
    return Library(root)


def test_lists_and_searches(library: Library, tmp_path: Path) -> None:
    figures, opened = Index(tmp_path / "figures.sqlite"), Opened(tmp_path / "opened.sqlite")
    known = [features_of(sound, RATE) for sound in sounds().values()]
    swatch = np.zeros((64, 160), np.uint8)
    for n, preset in enumerate(library.presets()):
        patch = library.bank(preset.bank).load(preset.id)
        one = Measurement(-20.0 - n / 3, -1.0, swatch, known[n % len(known)], 0.02 * n)
        figures.put(sound_key(patch), one)
    bank = library.banks()[0]
    for preset in bank.ids()[3:9:2]:
        opened.note(bank.id, preset)
    catalogue = Catalogue(tmp_path / "list.sqlite", tmp_path / "figures.sqlite", tmp_path / "opened.sqlite")
    catalogue.refresh(library)
    found: dict[str, Any] = {"banks": [list(one) for one in catalogue.banks()], "kinds": catalogue.kinds("")}
    for one in library.banks():
        rows = catalogue.presets(one.id)
        found[one.id] = {row.id: digest(plain(row._replace(bank="", stamp=0))) for row in rows}
        found[f"{one.id}, more"] = [
            catalogue.kinds(one.id),
            catalogue.counts(one.id),
            plain(catalogue.measured(one.id)),
        ]
        for only in ("starred", "unnamed", "unopened", "recent"):
            found[f"{one.id} {only}"] = [row.id for row in catalogue.presets(one.id, only=only)]
        found[f"{one.id} pads"] = [row.id for row in catalogue.presets(one.id, "Pad")]
    for query in QUERIES:
        rows, count = told(catalogue.search, query)
        asked = search.parse(query)
        found[f"search {query}"] = [
            count,
            [row.id for row in rows][:12],
            asked.words,
            asked.without,
            asked.match,
            asked.where,
        ]
        found[f"pads {query}"] = [told(catalogue.search, query, "Pad")[1], catalogue.corrected(query)]
    found["corrected"] = [
        catalogue.corrected(text) for text in ("glas hous", "mos rot", "xyzzy", "kind:Pad lanten", "Wiind")
    ]
    key = sound_key(bank.load(bank.ids()[0]))
    found["points"] = [few(figures.points()[1]), len(catalogue.of_sounds([key]))]
    got = figures.get(key)
    found["got"] = None if got is None else [got.lufs, got.peak, got.cost, plain(got.features)]
    catalogue.close()
    unchanged("lists", found)


def test_comparisons(presets: dict[str, Patch]) -> None:
    found: dict[str, Any] = {}
    names = sorted(presets)
    for n, name in enumerate(names):
        before, after = presets[name], presets[names[(n + 1) % len(names)]]
        told_of = difference(before, after)
        row: list[Any] = [told_of.size, told_of.sentence(), told_of.added, told_of.removed, digest(plain(told_of.rows))]
        row.append(changed_modules(before, after))
        taken = []
        for prefix in list(changed_modules(before, after))[:6]:
            made = told(with_module, before, after, prefix)
            taken.append(made if isinstance(made, str) else digest(write_patch(made)))
        found[name] = [*row, taken, uses_of(before), sound_key(before)[:12]]
    unchanged("comparisons", found)


def test_dials_of_offshoots(presets: dict[str, Patch]) -> None:
    found: dict[str, Any] = {}
    every = VariationOptions(groups=frozenset(GROUPS), in_tune=False)
    names = sorted(presets)[::3]
    for n, name in enumerate(names):
        patch, other = presets[name], presets[names[(n + 1) % len(names)]]
        paths = [(slot.path, group_of(slot.path, slot.param), tunes(slot.path)) for slot in slots(patch)]
        row: list[Any] = [
            digest(paths),
            digest(sorted(asleep(patch))),
            counts(patch, VariationOptions()),
            counts(patch, every),
        ]
        for wishes in (
            VariationOptions(),
            every,
            VariationOptions(cheap=False, locked=frozenset(path for path, _, _ in paths[:60])),
        ):
            moved = dials(patch, wishes)
            row.append([len(moved), digest([(d.path, plain(d.place), d.weight, d.beats) for d in moved])])
            for seed, number in ((1, 0), (9, 4)):
                way = directions(moved, seed, number)
                for much, promises in ((0.2, True), (3.0, False)):
                    made = child(patch, moved, way, much, promises)
                    row.append(digest(plain([slot.value for slot in slots(made)])))
                    row.append(digest(plain(changes(patch, made))))
        steps = between(patch, other, 4)
        row += [steps.unmatched, digest(plain([[slot.value for slot in slots(step)] for step in steps.patches]))]
        found[name] = row
    dice = np.random.default_rng(4)
    for count in (1, 2, 9, 30):
        points = dice.normal(0.0, 1.0, (count, 30))
        found[f"{count} points"] = [spread(points, 8), least_apart(points), few(layout(points) ** 2)]
    unchanged("offshoots", found)


def test_offshoots_that_are_heard(presets: dict[str, Patch]) -> None:
    """Three children of two sounds; figures, since the last bits of a sound are the processor's."""
    found: dict[str, Any] = {}
    for name in ("rubber-root", "dew-harp") if "dew-harp" in presets else sorted(presets)[:2]:
        document = write_patch(presets[name])
        parent, as_one = parent_of(document), parent_as_offshoot(document)
        found[name] = [
            parent.root if hasattr(parent, "root") else parent.key,
            parent.sure,
            float(as_one.swatch.mean()),
            as_one.far,
        ]
        for number, wishes in enumerate(
            (
                VariationOptions(),
                VariationOptions(far=0.8, seed=3),
                VariationOptions(as_loud=False, in_tune=False, cheap=False),
            )
        ):
            one = grow(document, wishes, number)
            made = read_patch(one.document, name)
            moved = [what for what, _, _ in one.changed]
            row: list[Any] = [one.far, one.wrong, float(one.swatch.mean()), plain(one.features), moved, cost_of(made)]
            found[f"{name} {number}"] = [*row, float(np.square(one.sound).mean()), made.level]
        found[f"{name} audible"] = [what for what, _, _ in audible(document, one.document)[:6]]
        step = step_between(one.document, document)
        found[f"{name} step"] = [step.far, len(step.changed), float(step.swatch.mean())]
        sound = heard(presets[name])
        found[f"{name} levelled"] = [
            [levelled(presets[name], sound, lufs)[0].level, levelled(presets[name], sound, lufs)[2]]
            for lufs in (-60.0, -14.0, 30.0)
        ]
        one_measured = measure(presets[name])
        found[f"{name} measured"] = [one_measured.lufs, one_measured.peak, plain(one_measured.features)]
        found[f"{name} apart"] = [apart_words(one_measured.apart, presets[name]), apart_words(NOT_APART, None)]
        found[f"{name} makers"] = [
            maker(presets[name], prefix) for prefix, _ in modules(presets[name]) if prefix.count(".") > 1
        ][:30]
    unchanged("grown", found, 2e-3)


def test_names() -> None:
    given = [
        "Moss Bell",
        "Dew 2",
        "Low Glass Path",
        "one",
        "Old-Moss Bell",
        "Amber Very-long-indeed-word",
        "Night moss",
        "",
    ]
    found: dict[str, Any] = {"words": words_of(given), "first": FIRST, "second": SECOND}
    for seed in range(4):
        found[f"offer {seed}"] = on_offer(given, ["moss path", *given], 7, seed)
        found[f"near {seed}"] = on_offer(given, [], 3, seed, "Dew 2")
        found[f"own {seed}"] = on_offer(given, [], 4, seed, words=["tide", "Salt", "tide"])
    found["none"] = on_offer([], [], 5, "x")
    found["working"] = [
        working_name(kind, words, ["Warm Pad", "warm pad 2"])
        for kind in ("Pad", "")
        for words in ([], ["warm"], ["dark", "soft"])
    ]
    these = [
        renaming.Named("dew drop", "Pad", "A. B."),
        renaming.Named("Moss", "", ""),
        renaming.Named("x" * 90, "Bell", ""),
    ]
    patterns = (
        "{n:02} {name}",
        "{n} {kind} {author}",
        "{name}",
        "{n:5}{name}",
        "  {name}  {n} ",
        "{foo}",
        "{",
        "",
        "{name:3}",
    )
    for pattern in patterns:
        for case in renaming.CASES:
            found[f"renamed {pattern} {case}"] = told(renaming.renamed, these, pattern, "o", "0", case, 9)
        found[f"renamed {pattern}"] = told(renaming.renamed, these, pattern)
    unchanged("names", found)


def test_matter(tmp_path: Path, library: Library) -> None:
    matter = Matter(tmp_path / "matter.sqlite")
    matter.refresh(library.root, [])
    found: dict[str, Any] = {"count": matter.count(), "places": matter.places(), "unmeasured": len(matter.unmeasured())}
    rows = matter.find(MatterQuery())
    found["pieces"] = []
    for row in rows:
        piece = matter.piece(row)
        assert piece is not None
        found["pieces"].append(
            [piece.name, piece.place, piece.origin, piece.frames, piece.rate, piece.channels, piece.seconds]
        )
        found["pieces"][-1] += [piece.cycle, piece.root, piece.sure, piece.bright, piece.measured, piece.problem]
        found["pieces"][-1] += [piece.asset and [piece.asset.rights, piece.asset.terms, piece.asset.about()]]
    wishes = [MatterQuery(words=words) for words in ("glass", "moss dew", "zzz", "a")]
    wishes += [MatterQuery(kind=kind) for kind in ("recording", "table")] + [
        MatterQuery(pitched=what) for what in ("yes", "no")
    ]
    wishes += [MatterQuery(length=length) for length in LENGTHS] + [MatterQuery(root=root) for root in (0, 5, 9)]
    wishes += [MatterQuery(bright=what) for what in ("dark", "middle", "bright")] + [
        MatterQuery(origin=where) for where in ("shipped", "library", "own")
    ]
    for n, wish in enumerate(wishes):
        names = told(lambda wish=wish: [getattr(matter.piece(row), "name", "") for row in matter.find(wish)])
        found[f"wish {n}"] = names
    matter.close()
    found["tables"] = {name: plain(one) for name, one in shipped_tables().items()}
    found["recordings"] = {
        name: [one.name, one.digest, one.frames, root] for name, (one, root) in shipped_recordings().items()
    }
    unchanged("matter", found)


def test_snippets(tmp_path: Path, presets: dict[str, Patch]) -> None:
    kept = Snippets(tmp_path)
    found: dict[str, Any] = {"all": [[one.id, one.name, one.family, one.kind, one.shipped] for one in kept.all()]}
    found["chains"] = [[one.id, one.name, [effect.kind for effect in one.effects]] for one in kept.chains()]
    for one in kept.all()[::3]:
        found[f"settings {one.id}"] = digest(plain(settings_of(one.module)))
        found[f"document {one.id}"] = digest(write_snippet(one.name, one.module))
        found[f"fitting {one.id}"] = [other.id for other in kept.fitting(one.module)]
        found[f"applied {one.id}"] = digest(plain(settings_of(apply(type(one.module)(), one))))
    delay = Effect.kinds["delay"]()
    saved = kept.save("My delay", delay)
    kept.save_chain("Two", [delay, delay])
    kept.set_default(delay, saved)
    again = kept.save("My delay", delay.with_value("mix", 0.25) if "mix" in delay.params else delay)
    found["saved"] = [
        saved.id,
        again.id,
        digest(write_chain("x", [delay])),
        list(FAMILIES),
        digest(plain(settings_of(kept.fresh(delay)))),
    ]
    wrong = (
        "",
        "{}",
        '{"format": "felt-dial snippet"}',
        write_chain("x", [delay]).replace("delay", "dalay"),
        write_snippet("n", delay)[:-9],
    )
    found["read"] = [told(read_snippet, text, "“s”") for text in wrong]
    for snippet in (saved, again):
        told(kept.remove, snippet)
    found["left"] = [one.id for one in kept.all() if not one.shipped]
    unchanged(
        "snippets", {key: value if key != "read" else [str(one)[:300] for one in value] for key, value in found.items()}
    )


def test_banks_come_and_go(tmp_path: Path, library: Library) -> None:
    bank = library.banks()[-1]
    target = tmp_path / "tides.feltbank"
    found: dict[str, Any] = {"exported": export_bank(bank, target)}
    seen = import_preview.look_into(library, target)
    assert seen.known is not None
    found["arrival"] = [seen.name, seen.presets, seen.lacks, seen.known.sentence(), seen.to_take]
    fresh = Library(tmp_path / "fresh")
    made = import_bank(fresh, target)
    found["imported"] = [made.name, made.ids(), digest([write_patch(made.load(one)) for one in made.ids()])]
    again = import_bank(fresh, target, only=made.ids()[:2])
    found["again"] = [again.name, again.ids(), import_preview.free_bank_name(fresh, made.name)]
    found["lacks"] = import_preview.lacks_of(again, lambda patch: False)
    found["unused"] = [one.name for one in unused(library.root)]
    found["shipped"] = [[path.name for path in shipped_banks()], sorted(shipped_ids())]
    found["settings"] = Settings().model_dump(mode="json", exclude={"library"})
    found["phrases"] = [told(read_phrase, write_phrase(one), "“p”", key) == one for key, one in PHRASES.items()]
    unchanged("come_and_go", found)
