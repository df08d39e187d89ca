"""A scene that is edited while its sheets change and its server is killed: every acknowledged change is there."""

import http.client
import os
import random
import threading
import time

from benchmarks.kills import Server, small_png
from tidymargin.services.scenes.opening import look_at_saved
from tidymargin.services.workshop.workshop import open_workshop

KILLS = int(os.environ.get("TIDYMARGIN_KILLS", "6"))


class SceneOrdeal:
    """Rounds of a working server that is ended in the middle; what was acknowledged is remembered."""

    def __init__(self, folder, seed):
        self.folder, self.chance = folder, random.Random(seed)
        self.said = []  # the head and the place of each move that was acknowledged
        self.failures = []
        self.server = None

    def start(self):
        session = (self.server.cookie, self.server.token) if self.server else (None, None)
        self.server = Server(self.folder, *session)

    def begin(self):
        self.start()
        for number in (1, 2):
            assert self.server.upload(small_png(number), f"{number}.png")[0] == 201
        assert self.server.send("/scenes", name="card")[0] == 303
        for number in (1, 2):
            assert self.server.send("/scenes/1/add", seen=self.ask_head(), sheet=number)[0] == 303

    def ask_head(self):
        return int(self.server.ask("GET", "/scenes/1/head")[2].split(b'"head":')[1].split(b",")[0])

    def move(self):
        while True:
            seen, far = self.ask_head(), self.chance.randrange(1, 1000)
            status, _, body = self.server.send("/scenes/1/move", seen=seen, keys="1,2", right=far, down=0)  # fmt: skip
            assert status == 303, body
            self.said.append((seen, far))

    def change_sheets(self):
        while True:
            head, tolerance = self.server.head(1), self.chance.randrange(1, 40)
            status, _, body = self.server.change(1, "tolerance", seen=head, tolerance=tolerance)
            assert status in (303, 404, 409), body
            assert self.server.change(2, self.chance.choice(["bin", "take-out"]))[0] == 303

    def go_through(self, rounds):
        def work(doing):
            try:
                doing()
            except AssertionError as failure:
                self.failures.append(failure)
            except (OSError, http.client.HTTPException, AttributeError, IndexError):
                return  # it was ended in the middle

        for _ in range(rounds):
            threads = [threading.Thread(target=work, args=(doing,)) for doing in (self.move, self.change_sheets)]  # fmt: skip
            for thread in threads:
                thread.start()
            time.sleep(self.chance.uniform(0.1, 1.2))
            self.server.kill()
            for thread in threads:
                thread.join(30)
            self.start()
        self.server.end()


def test_a_scene_survives_kills_while_its_sheets_change(tmp_path):
    ordeal = SceneOrdeal(tmp_path, 11)
    try:
        ordeal.begin()
        ordeal.go_through(KILLS)
    finally:
        ordeal.server.kill()
    assert ordeal.failures == []
    assert len(ordeal.said) > KILLS
    workshop = open_workshop(tmp_path)
    states = {state.id: state for state in workshop.scenes.list_states(1)}
    children = {}
    for state in states.values():
        children.setdefault(state.parent, []).append(state)
    for seen, far in ordeal.said:  # a move that was not acknowledged may be there as well
        lefts = [workshop.scenes.load_at(1, one.id) for one in children[seen]]
        before = states[seen].body
        assert any(one.body != before and f'"left":{far_of(before) + far}' in one.body for one in lefts), (seen, far)  # fmt: skip
    saved = workshop.scenes.load(1)
    missing = [error.message for _, error in look_at_saved(workshop, saved).missing]
    binned = {sheet.id for sheet in workshop.sheets.list_binned()}
    assert all("in the bin" in message for message in missing)
    assert bool(missing) == bool(binned & {2})
    workshop.close()


def far_of(body):
    """Return how far to the right the first cut of a scene is."""
    return float(body.split('"left":')[1].split(",")[0])
