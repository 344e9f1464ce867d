"""Every kind of configuration comes to the same results here, on workers and in shards, whichever of them is first."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from aventrik.core.errors import Damaged, Unavailable
from aventrik.core.reranking import STEPS
from aventrik.core.rewriting import METHODS
from aventrik.execution.executors.on_worker import _workspace, publish
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.performing import perform
from aventrik.storage.protocols import Kept

from ..conftest import Program
from ..opened_world import configured
from .test_workers import digests

_SMALL = "[chunking]\nsize = 60\noverlap = 0\n"
KINDS = {
    "filtered": f'{_SMALL}[search]\nmethod = "both"\nwhere = "document like \'%s.txt\'"\n',
    "filtered-words": f'{_SMALL}[search]\nmethod = "keyword"\nwhere = "document like \'%s.md\'"\n',
    "filtered-away": f'{_SMALL}[search]\nmethod = "keyword"\nwhere = "document like \'%.never\'"\n',
    "parts": '[chunking]\nmethod = "sentence"\nsize = 33\noverlap = 0\n[search]\nmethod = "vector"\nnearest = "graph"\nparts = 2\n',
    "near": f'{_SMALL}[search]\nmethod = "vector"\nnearest = "graph"\nparts = 2\n',
    "lists": f'{_SMALL}[search]\nmethod = "vector"\nnearest = "lists"\nlists = 2\nwhere = "document like \'%s.txt\'"\n',
    "codes": f'{_SMALL}[embedding]\nmodel = "lsa"\ndimensions = 8\nbits = 1\n[search]\nmethod = "vector"\n',
    "served": '[chunking]\nmethod = "sentence"\nsize = 40\noverlap = 0\nserve = "neighbours"\n',
    "facts": f'{_SMALL}[index]\ntext = "facts"\ntitle_weight = 1.0\nscoring = "bm25+"\n',
    "feedback": f'{_SMALL}[search]\nmethod = "keyword"\nfeedback = 2\n[answering]\nagain = 1\n',
    **{f"by {name}": f'{_SMALL}[[rewriting]]\nmethod = "{name}"\n' for name in METHODS},
    **{f"then {name}": f'{_SMALL}[[reranking]]\nstep = "{name}"\n' for name in STEPS if name not in ("cross-encoder", "embedding")},
}  # fmt: skip


def laid_out(program: Program) -> None:
    (program.folder / "configs" / "starter.toml").unlink()
    for name, text in KINDS.items():
        (program.folder / "configs" / f"{name.replace(' ', '-')}.toml").write_text(f'name = "{name}"\n{text}')


@pytest.mark.parametrize("shards", [0, 3])
def test_every_kind_of_configuration_comes_to_the_same_on_workers_first_or_second(
    workspace: Program, tmp_path: Path, shards: int
) -> None:
    laid_out(workspace)
    second = Program(tmp_path / "second")
    shutil.copytree(workspace.folder, second.folder)
    for program in (workspace, second):
        if shards:
            with open(program.folder / "aventrik.toml", "a") as file:
                file.write(f"\n[engine]\nshards = {shards}\n")
    workspace("run", "--on", "2", "--until", "verdicts")  # all that stands is made on workers
    second("run", "--on", "here", "--until", "verdicts")
    ours, theirs = digests(second.folder), digests(workspace.folder)
    assert {name: pair for name, pair in ours.items() if theirs.get(name) != pair} == {}
    assert ours.keys() == theirs.keys()
    assert len(ours) > 400
    assert "nothing to compute" in workspace("run", "--on", "here", "--until", "verdicts").stdout
    assert "nothing to compute" in second("run", "--on", "2", "--until", "verdicts").stdout


def test_every_kind_of_configuration_comes_to_the_same_with_the_store_on_a_server(
    workspace: Program, tmp_path: Path, database: str
) -> None:
    laid_out(workspace)
    second = Program(tmp_path / "second")
    shutil.copytree(workspace.folder, second.folder)
    with open(second.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[store]\naddress = "{database}"\n')
    second("gather", str(workspace.folder / "docs"))
    found = []
    for program in (second, workspace):
        program("run", "--until", "verdicts")
        with OpenWorkspace(program.folder) as opened:
            rows = [row for run in opened.store.runs.all() for row in opened.store.runs.questions(run.id)]
            kept = opened.store.results.digests(sorted({name for row in rows for name in row.results.values()}))
            found.append({name: digest for name, (digest, _) in kept.items()})
    assert len(found[0]) > 400
    assert found[0] == found[1]


FILTERED = configured(
    {"search": {"method": "keyword", "where": "document like '%s.txt'"}, "chunking": {"size": 90, "overlap": 0}}, "f"
)


def on_worker(opened: OpenWorkspace) -> OpenWorkspace:
    """The same workspace as a worker has it."""
    worker = OpenWorkspace(opened.workspace.folder)
    worker.bench.elsewhere = True
    return worker


def test_a_filter_that_was_not_made_known_is_no_filter_that_lets_nothing_pass(folder: Path) -> None:
    opened = OpenWorkspace(folder)
    place = opened.place(FILTERED)
    opened.bench.executor.remote = True  # type: ignore[misc]
    opened.store.documents.keep_snapshot(opened.snapshot)
    work = place.work(place.nodes["chunks"], documents=(0,), part="p")
    worker = on_worker(opened)
    with pytest.raises(Unavailable, match="does not have what the filter lets pass"):
        perform(worker.bench, work)
    opened.store.results.keep([Kept(work.condition, "condition", "d", b'["moorings.md"]')])
    with pytest.raises(Damaged, match="what a filter lets pass is not what its key says"):
        perform(worker.bench, work)


@pytest.mark.parametrize(
    ("file", "text", "told"),
    [
        ("aventrik.toml", "", ""),
        (
            "prompts/answer.txt",
            "Answer $question from $context in $style style, for a harbour master.\n",
            "of 'answer': the model",
        ),
    ],
)
def test_a_worker_with_other_prompts_is_refused_by_what_it_has(folder: Path, file: str, text: str, told: str) -> None:
    """The worker's folder has the same settings, but another prompt: what is published counts there, and what a worker made
    up its mind on before is held against the keys."""
    opened = OpenWorkspace(folder)
    key = publish(opened.workspace, opened.store)
    place = opened.place(configured({"answering": {"model": "house"}, "search": {"method": "keyword"}}, "c"))
    opened.bench.executor.remote = True  # type: ignore[misc]
    rows = opened.store.results
    opened.store.documents.keep_snapshot(opened.snapshot)
    work = place.work(place.nodes["answer"], names=(), questions=())
    if text:
        (folder / file).write_text(text, encoding="utf-8")
        assert _workspace(key, opened.store).folder != folder  # the files as they were published, not those of now
        worker = on_worker(opened)
        with pytest.raises(Unavailable, match=told) as refused:
            perform(worker.bench, work)
        assert "nothing of it was kept" in str(refused.value)
        assert "answer" not in {kept[0] for kept in rows.rates().items()}
    else:
        assert _workspace(key, opened.store).folder == folder


def test_what_a_key_is_made_of_names_every_part(folder: Path) -> None:
    opened = OpenWorkspace(folder)
    account = opened.place(FILTERED).keys.account("keyword hits")
    assert account["the documents that the filter lets pass"] == opened.place(FILTERED).condition_key
    assert {
        "the documents",
        "the settings of 'chunks'",
        "the version of the stage 'keyword'",
        "what is kept of 'terms'",
    } <= set(account)
