"""What this program wrote once it reads for good: heads, histories and kept proofs."""

import json
import zipfile

from tests.conftest import PAD_PX, read_png, say_history
from tests.golden.history import PLACE, walk_back
from tidymargin.services.views import proofs
from tidymargin.services.workshop.workshop import open_workshop

# its states are kept as fields; in which words they are said is this version's own affair
SAID = [
    "Work area from 0, 240",
    "Trimmed, with a margin of 6 px",
    "Backdrop #203040",
    "Spill 100 % to 50 %",
    "Specks under 3 px, pinholes under 2 px",
    "Fence drawn",
    "Protected colour #204080 within 6.0",
    "Enclosed area at 90, 120 cleared",
    "What is done to find the background",
    "The subject is opaque",
    "Background colour #E8D5C4 added",
    "Background colour #FEFEFE",
    "Tolerance 0.4 to 4.2",
    "Opened",
]


def test_a_history_that_was_written_once_opens_with_all_its_states_and_its_proof(tmp_path):
    with zipfile.ZipFile(PLACE) as kept:
        kept.extractall(tmp_path)
    expected = json.loads((tmp_path / "expected.json").read_text())
    workshop = open_workshop(tmp_path / "data")
    try:
        (sheet,) = workshop.sheets.list_all()
        assert say_history(workshop, sheet) == SAID
        for now, then in zip(walk_back(workshop, sheet), expected["recipes"], strict=True):
            for step, fields in then.items():  # later versions may know more, and never less
                assert now[step] | fields == now[step] if isinstance(fields, dict) else now[step] == fields  # fmt: skip
        proof = proofs.load_proof(workshop, sheet)
        assert proof is not None
        assert max(read_png(proof).shape[:2]) == PAD_PX
        assert workshop.sheets.load(sheet.id).recipe.ground.area != "auto"
    finally:
        workshop.close()
