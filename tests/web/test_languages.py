"""Pages in other languages: all is said, nothing is left in English, errors and numbers follow, the choice is kept."""

import re

import pytest
from bs4 import BeautifulSoup, NavigableString

import catalogue
from tests.long_words import LONG, LONGER, lengthen, write_long
from tidymargin.formats.arrangement import ArrangedBase, Arrangement
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.scenes import editing
from tidymargin.services.scenes.editing import SceneEdit
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.views.measuring import load_measured
from tidymargin.web.app import create_app
from tidymargin.web.language import localise, translate
from tidymargin.web.sentences.guide import JOBS, list_names
from tidymargin.web.words import gettext

GERMAN = {"Accept-Language": "de-AT,de;q=0.9,en;q=0.3"}
# names that people gave, units and what is called the same everywhere
ALIKE = re.compile(
    r"(?:Tidy Margin|English|Deutsch|badge\.png|px|mm|dpi|[A-Z]{2,5}\d*|#[0-9A-F]{6}|OpenRaster|WebP|auto|eo|\{\w+\}|[\W\d])*"
)


def test_the_german_catalogue_is_whole_and_has_the_slots_of_the_texts():
    assert catalogue.find_faults() == []


def test_german_is_chosen_by_the_browser_and_kept_by_a_button(client, token):
    assert 'lang="en"' in client.get("/").text
    assert "Hier ein Bild ablegen." in client.get("/", headers=GERMAN).text
    client.post("/language", data={"language": "en", "page": "/guide"}, headers={"X-CSRFToken": token})  # fmt: skip
    assert "Drop a picture here." in client.get("/", headers=GERMAN).text
    answer = client.post("/language", data={"language": "de", "page": "//elsewhere.example/"}, headers={"X-CSRFToken": token})  # fmt: skip
    assert answer.headers["Location"] == "/"
    assert 'lang="de"' in client.get("/").text
    assert "wird ausgearbeitet" not in client.get("/words.js").text
    assert '"Copied": "Kopiert"' in client.get("/words.js").text


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("/sheets/7/", "Das Bild 7 gibt es nicht."),
        ("/nowhere", "Diese Seite gibt es nicht."),
        ("/sheets/1/view?left=0&top=0&cell=1&width=0&height=5", "Erwartet wird eine Ansicht von 1 bis"),
    ],
)  # fmt: skip
def test_errors_are_said_in_german_with_what_they_name(client, workshop, badge_png, path, said):
    add_sheet(workshop, badge_png, "badge.png")
    assert said in client.get(path, headers=GERMAN).text


def test_what_people_call_something_is_never_translated_and_unknown_errors_stay_english(workshop):
    with create_app(workshop).test_request_context(headers=GERMAN):
        # each of these names is a text of the catalogue as well
        assert translate("“Cut” is in the bin.") == "„Cut“ liegt im Papierkorb."
        assert translate("The tray “Export” is empty.") == "Die Mappe „Export“ ist leer."
        assert translate("Nobody wrote this on white.") == "Nobody wrote this on white."
        assert localise("1,024.5 × 3 px") == "1.024,5 × 3 px"
        assert localise("scan 2.5") == "scan 2.5"
        assert gettext("%(name)s is in the bin.", name="1.5") == "1.5 liegt im Papierkorb."
        assert translate("Expected a tolerance from 0 to 50, got 50.5.").endswith(
            "gegeben ist 50,5."
        )


def test_numbers_have_commas_in_german_and_points_in_english(client, workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)

    def read(headers):
        page = BeautifulSoup(client.get("/sheets/1/?open=reach", headers=headers).data, "html.parser")  # fmt: skip
        return page.select_one("#phrase-tolerance").text, page.select_one("#tolerance")["value"]

    english, german = read({}), read(GERMAN)
    assert english[0] == english[1]
    assert german == tuple(text.replace(".", ",") for text in english)


def test_names_of_controls_in_the_german_guide_are_those_on_the_page():
    german = catalogue.read_catalogue("de")
    known = {str(m.string).replace("%%", "%") for m in german if m.id and isinstance(m.id, str)}
    for job in JOBS:
        for step in job.steps:
            for name in list_names(str(german.get(step.text).string)):
                is_given = re.fullmatch(r"[\d %]+|Karte|[\w-]+\.(png|jpg)", name)
                filled = any(re.fullmatch(re.escape(text).replace(r"%\(what\)s", ".+").replace(r"%\(n\)s", ".+"), name) for text in known)  # fmt: skip
                assert is_given or name in known or filled, name


@pytest.mark.parametrize("path", ["/", "/guide", "/keys", "/trays/1/", "/scenes/1/", *(f"/scenes/1/?open={part}" for part in ("base", "cut:1", "export", "history")), "/sheets/1/", *(f"/sheets/1/?open={step}" for step in ("ground", "reach", "by_hand", "rim", "colour", "proof", "export", "history"))])  # fmt: skip
def test_nothing_is_left_in_english_on_a_page_in_another_language(workshop, badge_png, tmp_path, path):  # fmt: skip
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    other = add_sheet(workshop, badge_png, "badge.png")
    make_tray(workshop, "TRAY", [other.id])
    card = editing.add_scene(workshop, "CARD", Arrangement(width=200, height=150, base=ArrangedBase(colour="#208040")))  # fmt: skip
    card = editing.add_sheets(SceneEdit(workshop, card, card.head), [sheet])
    editing.set_cut(SceneEdit(workshop, card, card.head), 1, "named", name="CUT")
    write_long(tmp_path / "long")
    client = create_app(workshop, more_languages={LONG: tmp_path / "long"}).test_client()
    page = BeautifulSoup(client.get(path, headers={"Accept-Language": LONG}).data, "html.parser")
    for part in page.select("script, style, #data-now, #sheet-data, kbd"):
        part.decompose()
    texts = [
        str(text).strip() for text in page.find_all(string=True) if type(text) is NavigableString
    ]
    texts += [tag[name] for name in ("aria-label", "placeholder", "alt", "title") for tag in page.select(f"[{name}]")]  # fmt: skip
    english = [text for text in texts if re.search("[A-Za-z]{2}", text) and not re.search("[áéíóú]", text, re.IGNORECASE)]  # fmt: skip
    assert [text for text in english if not ALIKE.fullmatch(text.replace("\xa0", " "))] == []


def test_the_long_language_is_long():
    text = "Look at the strip below the picture"
    assert len(lengthen(text)) == pytest.approx(LONGER * len(text), abs=1)
