"""What this program wrote once it reads for good: heads, histories and kept proofs."""

import json
import zipfile

from tests.conftest import PAD_PX, read_png, say_history
from tests.golden.history import PLACE, walk_back
from tidymargin.services.views import proofs
from tidymargin.services.workshop.workshop import open_workshop


def test_a_history_that_was_written_once_opens_with_all_its_states_and_its_proof(tmp_path):
    with zipfile.ZipFile(PLACE) as kept:
        kept.extractall(tmp_path)
    expected = json.loads((tmp_path / "expected.json").read_text())
    workshop = open_workshop(tmp_path / "data")
    try:
        (sheet,) = workshop.sheets.list_all()
        assert say_history(workshop, sheet) == [
            said.replace("\u00a0", " ") for said in expected["said"]
        ]
        for now, then in zip(walk_back(workshop, sheet), expected["recipes"], strict=True):
            for step, fields in then.items():  # later versions may know more, and never less
                assert now[step] | fields == now[step] if isinstance(fields, dict) else now[step] == fields  # fmt: skip
        proof = proofs.load_proof(workshop, sheet)
        assert proof is not None
        assert max(read_png(proof).shape[:2]) == PAD_PX
        assert workshop.sheets.load(sheet.id).recipe.ground.area != "auto"
    finally:
        workshop.close()
