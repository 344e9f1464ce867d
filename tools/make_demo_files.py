"""Makes the demo's PDF, DOCX and PPTX files, which are kept in the repository so that a fresh checkout needs no extra
step. All of it is the made-up world of the Tarrowby Navigation.

python tools/make_demo_files.py      (needs the extra `dev`)
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from docx import Document as Word
from pptx import Presentation
from pptx.util import Inches
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.lib.units import mm
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

HERE = Path(__file__).resolve().parents[1] / "src" / "aventrik" / "demo" / "documents"
STYLES = getSampleStyleSheet()
RULED = TableStyle(
    [
        ("GRID", (0, 0), (-1, -1), 0.5, colors.grey),
        ("BACKGROUND", (0, 0), (-1, 0), colors.whitesmoke),
        ("FONTNAME", (0, 0), (-1, 0), "Helvetica-Bold"),
        ("FONTSIZE", (0, 0), (-1, -1), 9),
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
    ]
)

# name, length, beam, draught, headroom, rise (metres)
MAIN = [
    ("1", "Basin Stop Lock", "22.4", "4.4", "1.5", "3.0", "0.2"),
    ("2", "Tarrowby Bottom Lock", "22.0", "4.4", "1.5", "2.9", "2.4"),
    ("3", "Tarrowby Top Lock", "22.0", "4.3", "1.4", "2.9", "2.6"),
    ("4", "Cooper's Field Lock", "22.2", "4.3", "1.4", "3.1", "1.9"),
    ("5", "Anvil Lane Lock", "22.1", "4.3", "1.4", "2.9", "2.2"),
    ("6", "Skelder Bottom Lock", "22.0", "4.4", "1.4", "3.0", "2.8"),
    ("7", "Skelder Middle Lock", "21.6", "4.3", "1.3", "2.8", "2.8"),
    ("8", "Skelder Top Lock", "21.6", "4.3", "1.3", "2.8", "2.7"),
    ("9", "Farrow Lane staircase, lower chamber", "21.3", "4.2", "1.2", "2.7", "3.1"),
    ("10", "Farrow Lane staircase, middle chamber", "21.3", "4.2", "1.2", "2.7", "3.1"),
    ("11", "Farrow Lane staircase, upper chamber", "21.3", "4.2", "1.2", "2.7", "3.0"),
    ("12", "Withy Lock", "21.5", "4.3", "1.3", "2.8", "1.7"),
    ("13", "Stonebeck Lock", "21.4", "4.3", "1.2", "2.7", "2.1"),
    ("14", "Hexley Bottom Lock", "21.3", "4.3", "1.2", "2.7", "2.5"),
    ("15", "Hexley Top Lock", "21.5", "4.4", "1.3", "2.7", "2.3"),
]
ARM = [
    ("16", "Junction Lock", "18.2", "2.2", "1.0", "2.6", "1.8"),
    ("17", "Alder Bottom Lock", "18.0", "2.2", "1.0", "2.5", "2.3"),
    ("18", "Alder Top Lock", "18.0", "2.2", "1.0", "2.5", "2.3"),
    ("19", "Pellbeck Lock", "17.5", "2.1", "0.9", "2.4", "2.6"),
    ("20", "Quarry Lock", "17.6", "2.1", "0.9", "2.4", "2.7"),
    ("21", "Kell Wood Lock", "17.6", "2.1", "0.9", "2.5", "2.2"),
    ("22", "Kell Top Lock", "17.5", "2.1", "0.9", "2.4", "2.4"),
    ("23", "Mistal Lock", "17.5", "2.1", "0.9", "2.4", "2.5"),
    ("24", "Sheepfold Lock", "17.7", "2.1", "0.9", "2.6", "2.1"),
    ("25", "Long Rigg Bottom Lock", "17.5", "2.1", "0.9", "2.4", "2.9"),
    ("26", "Long Rigg Middle Lock", "17.5", "2.1", "0.9", "2.4", "2.9"),
    ("27", "Long Rigg Top Lock", "17.5", "2.1", "0.9", "2.4", "2.8"),
    ("28", "Rowan Lock", "17.6", "2.2", "0.9", "2.5", "2.0"),
    ("29", "Thrang Lock", "17.5", "2.1", "0.9", "2.4", "2.4"),
    ("30", "Beckside Lock", "17.5", "2.1", "0.9", "2.4", "2.2"),
    ("31", "Cold Well Lock", "17.5", "2.1", "0.9", "2.4", "2.6"),
    ("32", "Fell Gate Lock", "17.5", "2.1", "0.9", "2.4", "2.7"),
    ("33", "Tarn Foot Lock", "17.6", "2.1", "0.9", "2.5", "1.9"),
    ("34", "Head Lock", "17.5", "2.1", "0.9", "2.4", "1.6"),
]
LOCK_COLUMNS = ("No.", "Lock", "Length (m)", "Beam (m)", "Draught (m)", "Headroom (m)", "Rise (m)")


def text(body: str, style: str = "BodyText") -> Paragraph:
    return Paragraph(body, STYLES[style])


def table(header: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[float]) -> Table:
    """A ruled table whose header row stands again on each page."""
    cells = [[Paragraph(cell, STYLES["BodyText"]) if len(cell) > 24 else cell for cell in row] for row in rows]
    return Table([list(header), *cells], colWidths=[w * mm for w in widths], repeatRows=1, style=RULED)


def pdf(name: str, head: str, story: Sequence[Any]) -> None:
    """A PDF with a running head and page numbers."""

    def furniture(canvas: Any, document: Any) -> None:
        canvas.saveState()
        canvas.setFont("Helvetica", 8)
        canvas.drawString(20 * mm, 285 * mm, head)
        canvas.drawRightString(190 * mm, 285 * mm, "Tarrowby Navigation Trust, edition 2031")
        canvas.drawCentredString(105 * mm, 12 * mm, f"Page {document.page}")
        canvas.restoreState()

    path = HERE / "tables" / name
    path.parent.mkdir(exist_ok=True)
    document = SimpleDocTemplate(
        str(path), pagesize=A4, leftMargin=20 * mm, rightMargin=20 * mm, topMargin=22 * mm, bottomMargin=22 * mm,
        title=head, author="Tarrowby Navigation Trust", invariant=True,
    )  # fmt: skip
    document.build(list(story), onFirstPage=furniture, onLaterPages=furniture)


def lock_dimensions() -> None:
    widths = (12, 58, 20, 18, 22, 24, 18)
    pdf(
        "lock-dimensions.pdf",
        "Lock dimensions",
        [
            text("Lock dimensions", "Title"),
            text(
                "This table gives the largest boat that each lock takes. Length is measured with the gates open "
                "against the walls and the cill clear by 20 centimetres. Headroom is that of the lowest bridge or pipe "
                "at the lock, at the usual summer level."
            ),
            text("Main Line", "Heading2"),
            table(LOCK_COLUMNS, MAIN, widths),
            Spacer(1, 6 * mm),
            text("Ellerthwaite Arm", "Heading2"),
            text(
                "Draught on the Arm falls by 10 centimetres when the water-bank deficit is over 300 megalitres. Boats "
                "over 17.5 metres turn at the winding hole below Pellbeck Lock at the latest."
            ),
            table(LOCK_COLUMNS, ARM, widths),
            Spacer(1, 6 * mm),
            text("Measuring again", "Heading2"),
            text(
                "The locks were measured in October 2030. A skipper who finds another figure should send it to the "
                "works office with the number of the lock. A boat that is within 10 centimetres of a limit should pass "
                "for the first time with a lock helper."
            ),
        ],
    )


def gauge_thresholds() -> None:
    bands = [
        ("Skelder", "1.20", "1.60", "1.95", "2.31 (December 2027)"),
        ("Withy Junction", "1.10", "1.45", "1.80", "2.06 (December 2027)"),
        ("Pellbeck", "0.70", "0.95", "1.20", "1.38 (November 2025)"),
        ("Oxmere", "1.40", "1.75", "2.20", "2.47 (January 2028)"),
    ]
    levels = [
        ("January", "1.44", "1.29", "0.81", "1.66"),
        ("February", "1.38", "1.25", "0.79", "1.61"),
        ("March", "1.31", "1.20", "0.76", "1.55"),
        ("April", "1.25", "1.14", "0.73", "1.47"),
        ("May", "1.21", "1.11", "0.70", "1.41"),
        ("June", "1.18", "1.08", "0.66", "1.38"),
        ("July", "1.15", "1.05", "0.58", "1.36"),
        ("August", "1.14", "1.04", "0.55", "1.36"),
        ("September", "1.17", "1.07", "0.61", "1.38"),
        ("October", "1.24", "1.13", "0.69", "1.45"),
        ("November", "1.33", "1.22", "0.77", "1.54"),
        ("December", "1.41", "1.28", "0.82", "1.63"),
    ]
    names = ("Gauge", "Usual (m)", "Amber from (m)", "Red from (m)", "Highest so far (m)")
    pdf(
        "gauge-thresholds.pdf",
        "Gauge thresholds",
        [
            text("Gauge thresholds", "Title"),
            text(
                "The four gauges are read at 7 am and at 5 pm, and in a flood every hour. Readings are published on the "
                "notice board and by text message. All figures are in metres above the zero of the gauge."
            ),
            text("Bands", "Heading2"),
            table(names, bands, (36, 28, 34, 30, 44)),
            Spacer(1, 5 * mm),
            text(
                "In the amber band boats tie up at the next mooring and do not lock uphill. In the red band they do not "
                "move. The safety gates at Withy Junction are closed when the Skelder gauge passes 1.90 metres and still "
                "rises."
            ),
            PageBreak(),
            text("Mean levels in 2030", "Heading2"),
            table(("Month", "Skelder", "Withy Junction", "Pellbeck", "Oxmere"), levels, (34, 30, 36, 30, 30)),
            Spacer(1, 5 * mm),
            text("How gauges are read", "Heading2"),
            text(
                "A reading is taken at the middle of the ripple, to the nearest centimetre. The gauge at Pellbeck is "
                "sheltered by a tube and lags the channel by about 10 minutes. A gauge that has been hit by a boat is "
                "levelled in again within 5 working days."
            ),
        ],
    )


def stoppage_plan() -> None:
    works = [
        ("Hexley Bottom Lock", "10 November to 12 December 2031", "new bottom gates", "none; boats turn at Stonebeck"),
        ("Oxmere swing bridge", "17 to 28 November 2031", "new bearings", "bridge stays open to boats"),
        (
            "Farrow Lane staircase",
            "5 January to 20 February 2032",
            "relining of the side ponds",
            "none; free berths at Skelder",
        ),
        ("Pellbeck Lock", "12 to 30 January 2032", "cill repair", "none; the Arm above is closed to boats"),
    ]
    stages = [
        ("10 November", "Stop planks in, pound lowered by 1.1 metres"),
        ("12 November", "Fish rescue, led by the ecologist"),
        ("14 November", "Chamber dry; old gates lifted out by crane"),
        ("24 November", "New gates hung; the road is closed for 1 day"),
        ("8 December", "Paddles fitted and tested"),
        ("11 December", "Chamber filled, leak test"),
        ("12 December", "Open to boats at 2 pm"),
    ]
    side_ponds = [
        ("5 January", "Side pond 1 emptied and cleared of silt"),
        ("12 January", "Lining of side pond 1"),
        ("23 January", "Side pond 2 emptied and cleared of silt"),
        ("30 January", "Lining of side pond 2"),
        ("16 February", "Both ponds filled; measuring of losses for 3 days"),
        ("20 February", "Open to boats at noon"),
    ]
    levels = [
        ("Hexley Bottom pound", "1.1 metres lower", "moored boats are moved to Hexley Wharf by the Trust"),
        ("Farrow Lane pound", "0.3 metres lower", "boats may stay with slack lines"),
        ("Pellbeck pound", "0.6 metres lower", "the 3 long-term berths are cleared by 9 January"),
    ]
    pdf(
        "stoppage-plan-2031.pdf",
        "Stoppage plan, winter 2031 to 2032",
        [
            text("Stoppage plan for the winter of 2031 to 2032", "Title"),
            text(
                "Works that need a dry chamber or a drained pound are done between 3 November and 13 March. This plan "
                "was published on 1 August and is confirmed on 1 October 2031. Comments must reach the works office "
                "before 15 September."
            ),
            text("The works", "Heading2"),
            table(("Place", "From and to", "Work", "Way round"), works, (38, 50, 40, 44)),
            Spacer(1, 5 * mm),
            text("Hexley Bottom Lock: new bottom gates", "Heading2"),
            text(
                "The present gates were hung in 1999 and leak 40 litres a second. The new ones are of green oak, weigh "
                "3.2 tonnes each and are made at Skelder workshop. A crane stands on the road bridge while they are hung."
            ),
            table(("Day", "What is done"), stages, (36, 120)),
            PageBreak(),
            text("Farrow Lane staircase: relining of the side ponds", "Heading2"),
            text(
                "The side ponds lose a fifth of what they save. They are lined with puddled clay, 30 centimetres thick, "
                "as they were when they were built. The chambers can't be used while a pond is empty, because its wall "
                "would not bear the load."
            ),
            table(("Day", "What is done"), side_ponds, (36, 120)),
            Spacer(1, 5 * mm),
            PageBreak(),
            text("Pellbeck Lock: cill repair", "Heading2"),
            text(
                "The top cill has worn by 6 centimetres. It is cut back and capped with oak. Back-pumping is not "
                "possible during the works. The angling club that rents the pound is told by 20 December 2031."
            ),
            text("Levels during the works", "Heading2"),
            table(("Pound", "Level", "Moored boats"), levels, (42, 34, 96)),
            Spacer(1, 5 * mm),
            text("Costs", "Heading2"),
            text(
                "The works cost £412,000 in all: £186,000 for Hexley Bottom, £141,000 for Farrow Lane, £38,000 for "
                "Pellbeck and £47,000 for the bridge at Oxmere. A tenth is paid by the county for the road bridge."
            ),
        ],
    )


def word(name: str, title: str, parts: Sequence[Any]) -> None:
    """A DOCX: texts are paragraphs, a pair (heading, level) is a heading, a list its points, a dict a table."""
    document = Word()
    document.core_properties.title = title
    document.core_properties.author = "Tarrowby Navigation Trust"
    document.add_heading(title, 0)
    for part in parts:
        if isinstance(part, str):
            document.add_paragraph(part)
        elif isinstance(part, tuple):
            document.add_heading(part[0], part[1])
        elif isinstance(part, list):
            for point in part:
                document.add_paragraph(point, style="List Bullet")
        else:
            rows = [part["header"], *part["rows"]]
            grid = document.add_table(rows=len(rows), cols=len(rows[0]), style="Table Grid")
            for row, cells in enumerate(rows):
                for column, cell in enumerate(cells):
                    grid.cell(row, column).text = cell
            document.add_paragraph("")
    path = HERE / "safety" / name
    path.parent.mkdir(exist_ok=True)
    document.save(str(path))


def safety() -> None:
    word(
        "working-near-water.docx",
        "Working near water",
        [
            "These rules hold for staff, contractors and volunteers who work within 2 metres of the water.",
            ("Before work", 1),
            "The leader looks at the place, names the two ways out of the water, and writes both on the day sheet. A "
            "throw line of at least 20 metres lies ready and is checked on the first day of each month.",
            [
                "Life jackets are put on before the gate of the site and are taken off behind it.",
                "A life jacket is serviced every 12 months; its date stands on the tab.",
                "Nobody works alone within 2 metres of deep water.",
            ],
            ("Cold water", 1),
            "Below 10 degrees a person loses the use of the hands within 10 minutes. In such water nobody works from a "
            "ladder without a second person on the bank. Work in the water stops after 20 minutes, and is followed by a "
            "rest of 40 minutes in a warm room.",
            {
                "header": ["Water temperature", "Longest time in the water", "Rest after it"],
                "rows": [
                    ["over 15 degrees", "60 minutes", "20 minutes"],
                    ["10 to 15 degrees", "40 minutes", "30 minutes"],
                    ["5 to 10 degrees", "20 minutes", "40 minutes"],
                    ["below 5 degrees", "divers only", "as the dive plan says"],
                ],
            },
            ("After an accident", 1),
            "A person who was in the water is seen by a doctor on the same day when water was swallowed. The leader "
            "sends the incident form to the safety officer within 24 hours.",
        ],
    )
    word(
        "lone-working.docx",
        "Lone working",
        [
            "Bridge keepers, lock keepers and bailiffs often work alone. They keep in touch by the lone worker's call.",
            ("The call", 1),
            "A lone worker calls the duty officer at the start of the shift, every 2 hours, and at its end. A call that "
            "is 15 minutes late is followed up by telephone; after 30 minutes somebody is sent.",
            ("What is not done alone", 1),
            [
                "Work in a drained chamber.",
                "Work with a chainsaw, which is for contractors in any case.",
                "Cutting of giant hogweed.",
                "Handling of more than 1,000 pounds in cash.",
            ],
            ("Bailiffs", 1),
            "A bailiff who meets anglers without a licence writes down what was seen and leaves when voices are raised. "
            "Bailiffs go in pairs after dark.",
        ],
    )
    word(
        "gas-and-fire-on-boats.docx",
        "Gas and fire on boats",
        [
            "This leaflet is handed to every skipper who takes a long-term mooring.",
            ("Gas", 1),
            "Gas bottles stand in a locker that drains overboard. The locker holds two bottles at most. A gas alarm is "
            "fitted low down, at most 30 centimetres above the floor, and a carbon monoxide alarm at head height in each "
            "room where people sleep.",
            ("Extinguishers", 1),
            {
                "header": ["Length of boat", "Extinguishers", "Fire blankets"],
                "rows": [
                    ["up to 7 metres", "2", "1"],
                    ["over 7 to 11 metres", "2", "1"],
                    ["over 11 metres", "3", "2"],
                ],
            },
            "Extinguishers are of at least 1 kilogram and are replaced after 5 years. Each hangs near a door.",
            ("Stoves", 1),
            "A solid fuel stove stands on a hearth of stone or tile. Its flue is swept twice a year. Ash is kept in a "
            "metal bucket with a lid for 24 hours before it is carried ashore.",
            ("Fuel", 1),
            "Petrol is not stored inside a cabin. A spare can holds 10 litres at most. Engines are stopped for refuelling, "
            "and all go ashore who are not needed.",
        ],
    )


def slides(name: str, title: str, pages: Sequence[tuple[str, Sequence[str], Any]]) -> None:
    """A PPTX: a title, then pages of (heading, points, table or notes)."""
    deck = Presentation()
    deck.core_properties.title = title
    deck.core_properties.author = "Tarrowby Navigation Trust"
    first = deck.slides.add_slide(deck.slide_layouts[0])
    first.shapes.title.text = title
    first.placeholders[1].text = "Briefing for staff and volunteers"
    for heading, points, extra in pages:
        page = deck.slides.add_slide(deck.slide_layouts[1])
        page.shapes.title.text = heading
        page.placeholders[1].text = "\n".join(points)
        if isinstance(extra, str):
            page.notes_slide.notes_text_frame.text = extra
        elif extra:
            shape = page.shapes.add_table(len(extra), len(extra[0]), Inches(1), Inches(4.2), Inches(8), Inches(2))
            for row, cells in enumerate(extra):
                for column, cell in enumerate(cells):
                    shape.table.cell(row, column).text = cell
    path = HERE / "briefings" / name
    path.parent.mkdir(exist_ok=True)
    deck.save(str(path))


def briefings() -> None:
    slides(
        "season-2031.pptx",
        "The season of 2031",
        [
            (
                "What is new",
                [
                    "A bridge key costs £12 instead of £10.",
                    "The help desk has a new telephone menu since 21 May.",
                    "Handovers of hire boats take at least 45 minutes.",
                    "Anti-vandal locks on four locks between Tarrowby Basin and Skelder.",
                ],
                "Tell boaters who ask for the old price of the key that it changed on 1 April 2031.",
            ),
            (
                "Staff on the bank",
                [
                    "Shifts begin at 7.30 am from April to October.",
                    "Radios are handed out at Tarrowby Basin and Skelder.",
                ],
                [
                    ["Place", "Lock keepers", "Lock helpers"],
                    ["Skelder", "1", "4"],
                    ["Farrow Lane staircase", "2", "6"],
                    ["Hexley Top", "0", "2"],
                    ["Pellbeck", "1", "3"],
                ],
            ),
            (
                "Traffic in 2030",
                [
                    "The busiest day was 17 August 2030, with 96 lockages at Farrow Lane.",
                    "A quiet weekday has about 25.",
                ],
                [
                    ["Line", "Passages in 2030", "Change from 2029"],
                    ["Main Line", "11,420", "+4 %"],
                    ["Ellerthwaite Arm", "1,985", "-17 %"],
                    ["Moss Cut", "6,310", "+9 %"],
                ],
            ),
        ],
    )
    slides(
        "saving-water.pptx",
        "Saving water on the Ellerthwaite Arm",
        [
            (
                "Where the water goes",
                [
                    "A locking on the Arm takes 92,000 litres.",
                    "Leaking gates lose as much in a night as 14 lockings.",
                    "Evaporation takes 3 megalitres on a hot day.",
                ],
                "The figures are those of the water engineer's survey of July 2030.",
            ),
            (
                "What saves it",
                ["Boats in pairs.", "Side ponds, which save about a third.", "Padlocks at night, from 8 pm to 7 am."],
                [
                    ["Measure", "Saves a day"],
                    ["Locks open from 10 am to 3 pm", "4 megalitres"],
                    ["Pairs of boats on three days", "9 megalitres"],
                    ["Back-pumping at Pellbeck", "6 megalitres"],
                ],
            ),
            (
                "What to say to boaters",
                [
                    "Give the latest WBD from the notice board, never from memory.",
                    "Offer the free berth at Skelder Bridge, up to 30 September 2031.",
                    "Do not promise a date on which the Arm opens.",
                ],
                None,
            ),
        ],
    )


if __name__ == "__main__":
    lock_dimensions()
    gauge_thresholds()
    stoppage_plan()
    safety()
    briefings()
    print(f"made in {HERE}")
