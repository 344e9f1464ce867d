"""Personal data planted in real text: recall by kind, and false alarms in text without any planted.

python benchmarks/personal_data.py
"""

from __future__ import annotations

import random
import time

from real_text import chunks

from aventrik.core.vetting.personal import luhn, personal_data

EACH = 300
NAMES = "jo.marlow ada_wren t.pike r-holt kim.ashby lou+boats m.fenn sam.reed".split()
HOSTS = "tarrow.example basin.example mail.moss.example hexley.test".split()


def card(draw: random.Random) -> str:
    """A made-up card number with a right check digit, in one of the usual forms."""
    digits = draw.choice("45") + "".join(draw.choices("0123456789", k=14))
    digits += next(d for d in "0123456789" if luhn(digits + d))
    mark = draw.choice(["", " ", "-"])
    return mark.join(digits[n : n + 4] for n in range(0, 16, 4))


def phone(draw: random.Random) -> str:
    """A number out of the ranges that are kept for fiction, in one of the usual forms."""
    last = f"{draw.randint(0, 999):03d}"
    forms = ["020 7946 0{}", "+44 20 7946 0{}", "(020) 7946 0{}", "0117 496 0{}", "07700 900{}", "+44 7700 900 {}"]
    return draw.choice(forms).format(last)


def main() -> None:
    """One table."""
    draw = random.Random(9)
    texts = chunks(20_000)
    plain = texts[EACH * 3 :]
    began = time.perf_counter()
    alarms: dict[str, list[str]] = {}
    for text in plain:
        for kind, (start, end) in personal_data(text):
            alarms.setdefault(kind, []).append(text[start:end])
    seconds = time.perf_counter() - began
    words = sum(len(text.split()) for text in plain)
    makers = {
        "e-mail address": lambda: f"{draw.choice(NAMES)}@{draw.choice(HOSTS)}",
        "telephone number": lambda: phone(draw),
        "card number": lambda: card(draw),
    }
    print(
        f"{EACH} of each planted in real paragraphs; {words:,} words of real text with none planted, in {seconds:.1f} s"
    )
    print(f"{'kind':<18}{'recall':>8}{'in the plain text':>19}{'a 10,000 words':>16}")
    for row, (kind, make) in enumerate(makers.items()):
        hit = 0
        for text in texts[row * EACH : (row + 1) * EACH]:
            pieces = text.split(" ")
            place = draw.randrange(len(pieces) + 1)
            value = make()
            planted = " ".join([*pieces[:place], f"{value}.", *pieces[place:]])
            hit += any(k == kind and value in planted[max(0, s - 1) : e + 1] for k, (s, e) in personal_data(planted))
        count = len(alarms.get(kind, []))
        print(f"{kind:<18}{hit / EACH:>8.3f}{count:>19,}{count / words * 1e4:>16.2f}")
    for kind, found in alarms.items():
        print(f"found in the plain text, {kind}: {', '.join(repr(each) for each in found[:6])}")


if __name__ == "__main__":
    main()
