"""From an empty household and a spreadsheet to an answer and a plan, the presses counted."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from kilter.people.models import Change
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import PHONE, WIDE

pytestmark = pytest.mark.browser
#: Presses, taps, pastes and fields filled between sign-up and the plan, at most.
AT_MOST = 16
BEDS = dict(enumerate(("pea", "leek", "beetroot", "carrot", "potato", "garlic"), 1))
POTS = {n: "Brass Bell" if n % 2 else "Aunt Cord" for n in range(1, 21)}


def plantings() -> str:
    """Six beds and twenty pots in two seasons, as in a spreadsheet."""
    rows = ["Bed or pot\tCrop\tVariety\tPlanted\tPlants"]
    for year in (2025, 2026):
        rows += [f"Bed {n}\t{crop}\t\t20/4/{year}\t40" for n, crop in BEDS.items()]
        rows += [f"Pot {n}\ttomato\t{name}\t20/5/{year}\t2" for n, name in POTS.items()]
    return "\n".join(rows)


def harvest() -> str:
    """200 lines: a pot of Brass Bell gives 3.0 kg and some, one of Aunt Cord 2.0 kg and some."""
    rows = ["Day\tWhat\tVariety\tWhere\tWeight (g)"]
    for year in (2025, 2026):
        for nth in range(4):
            day = date(year, 8, 1) + timedelta(days=9 * nth)
            for n, name in POTS.items():
                grams = (750 if name == "Brass Bell" else 500) + 10 * ((n * 7 + nth) % 5)
                rows.append(f"{day:%d/%m/%Y}\ttomato\t{name}\tPot {n}\t{grams}")
        for n, crop in BEDS.items():
            for nth in range(4 if n < 3 else 3):
                day = date(year, 7, 1) + timedelta(days=9 * nth)
                rows.append(f"{day:%d/%m/%Y}\t{crop}\t\tBed {n}\t{900 + 50 * nth}")
    return "\n".join(rows)


class Counted:
    """Hands that count what they do."""

    def __init__(self, g) -> None:
        self.g, self.presses = g, 0

    def press(self, words: str) -> None:
        self.presses += 1
        self.g.press(words)

    def click(self, css: str) -> None:
        self.presses += 1
        self.g.click(css)

    def fill(self, **fields: str) -> None:
        self.presses += len(fields)
        self.g.fill(**fields)

    def paste(self, text: str) -> None:
        """What the clipboard holds, into the field for it: a press of it and the paste."""
        self.presses += 2
        self.g.until(lambda: self.g.one('[name="text"]'))
        self.g.driver.execute_script(
            "const one = document.querySelector('[name=text]'); one.value = arguments[0];"
            "one.dispatchEvent(new Event('input', { bubbles: true }))",
            text,
        )


@pytest.mark.parametrize("size", [WIDE, PHONE], ids=["wide", "phone"])
def test_a_spreadsheet_leads_to_an_answer_and_a_plan(gardener, transactional_db, settings, size):
    settings.KILTER_TODAY = "2026-11-23"
    g = gardener(size)
    g.go("/sign-up")
    words = {"password1": "cold frame lid 7", "password2": "cold frame lid 7"}
    g.fill(username="wren", household_name="Wall Garden", **words)
    g.press("Start")
    hands = Counted(g)

    hands.press("Bring a table")
    hands.paste(plantings())
    hands.press("Read it")
    g.see("52 of 52 rows of plantings are ready")
    g.see("26 places will be added for them.")
    hands.press("Write 52 rows")
    g.see("It is all in.")
    assert Planting.objects.count() == 52

    g.driver.back()  # as who is in a hurry does
    g.see("“pasted table” was written.")
    hands.paste(harvest())
    hands.press("Read it")
    g.see("200 of 200 rows of harvest are ready")
    assert "will be added" not in g.text("#table"), "each line finds its planting"
    hands.press("Write 200 rows")
    g.see("It is all in.")
    assert WeighIn.objects.count() == 200

    hands.press("Today")
    hands.press("Finish")
    g.see("finished")
    hands.press("Weigh up")
    g.see("‘Brass Bell’ gave")
    g.see("more than ‘Aunt Cord’")
    hands.press("Next year")
    hands.fill(name="Wren")
    hands.press("Add")
    g.see("For 1 appetite")
    g.until(lambda: g.all(".plan-row"))
    rows = [one.text.split("\n") for one in g.all(".plan-row")]
    (tomato,) = [row for row in rows if row[0] == "tomato"]
    # 5.28 kg by the servings of one; a plant gave about 1.3 kg here: four, and one for luck.
    assert tomato[1] == "5.28 kg"
    assert "own" in tomato[2]
    assert 4 <= int(tomato[3]) <= 6
    assert Change.objects.filter(says__startswith="A table was brought").count() == 2
    assert hands.presses <= AT_MOST
