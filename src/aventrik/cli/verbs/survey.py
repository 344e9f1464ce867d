"""`aventrik survey`: what the corpus speaks of, as topics and as a map."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ..arguments import SEEDS, whole
from ..opening import first_configuration, open_testset, open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api import ModelsApart
    from ...api.records import Configuration, Survey, Topic
    from ...report.map import Drawing

HELP = (
    "Groups the chunks of a configuration by topic, names and samples each topic, draws the map (a picture and a page "
    "in reports/), and with a test set says which topics and documents it leaves uncovered."
)
_SHOWN_TEXT = 600  # characters of a chunk that the page shows


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "configuration", metavar="CONFIG", nargs="?", help="whose chunks and embedding (default: the first)"
    )
    parser.add_argument(
        "--topics", metavar="N", type=whole(0), default=0, help="so many topics (default: what fits best)"
    )
    parser.add_argument("--range", metavar="A-B", default="", help="try so many topics and take what fits best")
    parser.add_argument(
        "--space", choices=("full", "reduced"), default="full", help="group the vectors, or their 32 main components"
    )
    parser.add_argument("--testset", metavar="NAME", help="say which topics and documents it leaves uncovered")
    parser.add_argument("--run", metavar="RUN", help="colour chunks by how well a run served the questions there")
    parser.add_argument(
        "--gaps", metavar="NAME",
        help="what a test set asks and no document answers, in groups; with --run what that serves badly, too",
    )  # fmt: skip
    parser.add_argument(
        "--measure", metavar="NAME", default="hit@5", help="with --run: by this measure (default hit@5)"
    )
    parser.add_argument("--colour", metavar="BY", default="", help="of the picture: topic, document, finding, served")
    parser.add_argument("--layout", choices=("tsne", "pca"), default="tsne", help="how the map is laid out")
    parser.add_argument(
        "--points", metavar="N", type=whole(0), default=2000, help="chunks on the map at the most (2000)"
    )
    parser.add_argument(
        "--sample", metavar="N", type=whole(0), default=40, help="chunks to sample over all topics (40)"
    )
    parser.add_argument("--floor", metavar="N", type=whole(0), default=2, help="of each topic at least so many (2)")
    parser.add_argument(
        "--show", metavar="TOPIC", type=whole(0), help="typical, border and sampled chunks of one topic"
    )
    parser.add_argument("--beside", metavar="MODEL", help="hold another embedding model against this one, and no more")
    parser.add_argument("--seed", type=whole(0, SEEDS), help="default: that of aventrik.toml")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Groups, draws, shows."""
    from ... import api
    from ...core.errors import BadInput
    from ...report.map import COLOURINGS

    opened = open_workspace(options, screen)
    api.check_documents(opened)
    configuration = first_configuration(opened, options.configuration, screen)
    for name in ("topics", "points", "sample", "floor"):
        if getattr(options, name) < (0 if name in ("topics", "floor") else 1):
            raise BadInput(f"--{name}: must be a positive number")
    if options.colour and options.colour not in COLOURINGS:
        raise BadInput(f"--colour {options.colour}: must be one of {', '.join(COLOURINGS)}")
    judged = str(api.named_run(opened, options.run).id) if options.run else ""
    if options.colour == "served" and not judged:
        raise BadInput("--colour served needs --run RUN")
    if options.colour == "gap" and not options.gaps:
        raise BadInput("--colour gap needs --gaps NAME")
    if options.gaps and options.show:
        raise BadInput("--show is of a topic, and --gaps shows none")
    with screen.progress() as meter:
        if options.beside:
            apart = api.compare_embeddings(opened, configuration, options.beside, progress=meter)
            screen.result(_beside(apart, screen))
            return 0
        questions = open_testset(opened, options.testset, screen) if options.testset else None
        made = api.survey(
            opened, configuration, topics=options.topics, numbers=_numbers(options.range), reduced=options.space == "reduced",
            questions=questions, sample=options.sample, floor=options.floor, seed=options.seed, progress=meter,
        )  # fmt: skip
        if options.show and not 1 <= options.show <= len(made.topics):
            raise BadInput(f"--show {options.show}: there are topics 1 to {len(made.topics)}")
        gaps = api.gaps(opened, options.gaps, run=judged, measure=options.measure) if options.gaps else None
        drawn = api.draw_survey(
            opened, made, points=options.points, layout=options.layout, run=judged, measure=options.measure,
            seed=options.seed, gaps=gaps, progress=meter,
        )  # fmt: skip
    coloured = options.colour or ("gap" if "gap" in drawn.colourings else "served" if judged else "topic")
    files = _draw(opened.folder, configuration, drawn, coloured)
    screen.result(_as_json(made, files) | ({} if gaps is None else {"gaps": gaps.as_json()}))
    if gaps is not None:
        from ..views.gaps import show_gaps

        show_gaps(gaps, screen, 30)
        screen.say(f"the map: {files[0]} and {files[1]} (open it in a browser)")
        return 0
    if options.show:
        _show_topic(made, made.topics[options.show - 1], screen)
        return 0
    _show(made, screen, options.testset)
    screen.say(f"the map: {files[0]} and {files[1]} (open it in a browser)")
    return 0


def _numbers(text: str) -> list[int]:
    from ...core.errors import BadInput

    if not text:
        return []
    low, _, high = text.partition("-")
    if not (low.isdigit() and high.isdigit() and 1 <= int(low) <= int(high) <= 500):
        raise BadInput(f"--range {text}: must be two numbers like 4-20, from 1 to 500")
    return list(range(int(low), int(high) + 1))


def _draw(folder: Path, configuration: Configuration, drawing: Drawing, colour: str) -> tuple[Path, Path]:
    from ...report.map import write_page, write_picture

    plain = "".join(c if c.isalnum() or c in "-_.=" else "-" for c in configuration.name)
    files = tuple(folder / "reports" / f"survey-{plain}{suffix}" for suffix in (".png", ".html"))
    write_picture(files[0], drawing, colour)
    write_page(files[1], drawing, colour)
    return files[0], files[1]


def _as_json(made: Survey, files: Sequence[Path]) -> dict[str, Any]:
    def chunk(number: int) -> dict[str, Any]:
        name = made.table.name(number)
        return {
            "chunk": number,
            "doc": name,
            "ranges": made.table.ranges(number),
            "text": made.chunks.text(number),
        }

    return {
        "configuration": made.configuration.name,
        "chunks": len(made.table),
        "silhouettes": made.found.silhouettes,
        "topics": [
            {
                **vars(topic),
                **{name: [chunk(n) for n in getattr(topic, name)] for name in ("typical", "border", "sample")},
            }
            for topic in made.topics
        ],
        "uncovered_documents": made.uncovered,
        "files": [str(file) for file in files],
    }


def _show(made: Survey, screen: Screen, testset: str | None) -> None:
    tried = made.found.silhouettes
    told = ""
    if tried:
        best = max(tried, key=lambda number: tried[number])
        told = f"; {best} fit best of {', '.join(map(str, tried))} (silhouette {tried[best]:.2f})"
        if tried[best] < 0.1:
            told += ": they run into each other"
    screen.say(f"{len(made.table):,} chunks in {len(made.topics)} topics{told}")
    columns = ["topic", "its own words", "chunks", "documents", "tightness", "full sentences"]
    columns.extend(["needs"] * (testset is not None))
    rows: list[list[str | Text]] = []
    for topic in made.topics:
        row: list[str | Text] = [
            str(topic.number),
            ", ".join(topic.words) or "–",
            f"{topic.size:,}",
            f"{topic.documents:,}",
        ]
        row.extend([f"{topic.tightness:.2f}", f"{topic.stated:.0%}"])
        if topic.needs is not None:
            row.append(Text(str(topic.needs) if topic.needs else "none", style="" if topic.needs else "bold red"))
        rows.append(row)
    screen.table(columns, rows, right=(0, 2, 3, 4, 5, 6))
    for topic in made.topics:
        if topic.useless:
            screen.say(f"topic {topic.number} looks useless for questions: {topic.useless}", style="yellow")
    if testset is not None:
        bare = [str(topic.number) for topic in made.topics if not topic.needs]
        screen.say(
            f"'{testset}' asks nothing of {_counted(len(bare), 'topic')}{': ' + ', '.join(bare) if bare else ''}, and "
            f"nothing of {len(made.uncovered):,} of {len(made.table.docs):,} documents"
        )
        if made.uncovered:
            screen.say(shortened("  " + ", ".join(made.uncovered), 4 * screen.out.width), style="dim")
    screen.say(
        "--show TOPIC shows chunks of one; a needed fact that stands in several places counts in each", style="dim"
    )


def _counted(count: int, word: str) -> str:
    return f"{count} {word}" + ("" if count == 1 else "s")


def _show_topic(made: Survey, topic: Topic, screen: Screen) -> None:
    from ...report.survey import topic_name

    screen.title(f"topic {topic_name(topic)} · {topic.size:,} chunks of {topic.documents:,} documents")
    if topic.useless:
        screen.say(f"looks useless for questions: {topic.useless}", style="yellow")
    kinds = (
        ("most typical", topic.typical),
        ("at the border to another topic", topic.border),
        ("sampled", topic.sample),
    )
    for title, chunks in kinds:
        screen.title(title)
        for number in chunks:
            above = " › ".join(made.chunks.source(number))
            screen.say(f"{made.table.name(number)}: {above}", style="dim")
            screen.say("  " + shortened(made.chunks.text(number), 3 * screen.out.width))


def _beside(made: ModelsApart, screen: Screen) -> dict[str, Any]:
    """Two embedding models on the same chunks: how alike their neighbourhoods are, and where least."""
    one, other, chunks, found, share = made.first, made.second, made.chunks, made.found, made.shared
    screen.say(
        f"{one} and {other}, {len(found.asked):,} of {len(chunks):,} chunks: of the {found.k} nearest neighbours by one, "
        f"{share.mean:.0%} are so by the other too (95 % interval {share.low:.0%} to {share.high:.0%})"
    )
    apart = []
    for place in found.apart(5):
        number = int(found.asked[place])
        screen.title(f"they share {found.share[place]:.0%} around: {chunks.table.name(number)}")
        screen.say("  " + shortened(chunks.text(number), 2 * screen.out.width))
        row: dict[str, Any] = {"chunk": number, "doc": chunks.table.name(number), "share": float(found.share[place])}
        for model, near in ((one, found.first), (other, found.second)):
            row[model] = near[place]
            for rank, chunk in enumerate(near[place][:2], 1):
                told = f"{chunks.table.name(chunk)}: {chunks.text(chunk)}"
                screen.say(f"  {model} {rank}: {shortened(told, screen.out.width - 16)}", style="dim")
        apart.append(row)
    return {
        "models": [one, other],
        "k": found.k,
        "chunks": len(found.asked),
        "overlap": {"mean": share.mean, "low": share.low, "high": share.high},
        "apart": apart,
    }
