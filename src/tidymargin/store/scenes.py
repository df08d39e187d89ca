"""Scenes and their histories, as plain values."""

from collections.abc import Iterable
from datetime import datetime

from sqlalchemy import Engine, delete, select
from sqlalchemy.orm import Session

from tidymargin.core.base.errors import NotFoundError, StaleHeadError
from tidymargin.store.database import told, transaction
from tidymargin.store.histories import go_back, go_forward, go_on, go_to, require_state
from tidymargin.store.loading import now
from tidymargin.store.models import SceneRow, SceneStateRow, SceneVersionRow
from tidymargin.store.values import SavedScene, SceneState, Version


def _require_scene(session: Session, scene_id: int, *, binned: bool = False) -> SceneRow:
    row = session.get(SceneRow, scene_id)
    if row is None:
        raise NotFoundError(f"There is no scene {scene_id}.", hint="Go back to the trays and choose another.")  # fmt: skip
    if row.binned_at is not None and not binned:
        raise NotFoundError(f"“{row.name}” is in the bin.", hint="Take it out of the bin on the page of trays.")  # fmt: skip
    return row


def _require_head(session: Session, scene_id: int, seen_head: int) -> SceneRow:
    row = _require_scene(session, scene_id)
    if row.head_id != seen_head:
        raise StaleHeadError(
            "This scene was changed in another tab since this page was loaded.",
            hint="Nothing was lost: the page now shows the newest state. Do your change again.",
        )
    return row


def _require_own(session: Session, scene_id: int, state_id: int) -> SceneStateRow:
    state = require_state(session, SceneStateRow, state_id)
    if state.scene_id != scene_id:
        raise NotFoundError("This state is not in the history.")
    return state


def _add_state(session: Session, row: SceneRow, body: str, change: str) -> SceneStateRow:
    state = SceneStateRow(scene_id=row.id, parent_id=row.head_id, redo_id=None, body=body, change=change, created_at=now())  # fmt: skip
    session.add(state)
    session.flush()
    return state


def _to_scene(session: Session, row: SceneRow) -> SavedScene:
    head = require_state(session, SceneStateRow, row.head_id)
    redo = None if head.redo_id is None else session.get(SceneStateRow, head.redo_id)
    return SavedScene(
        id=row.id,
        name=row.name,
        head=head.id,
        body=head.body,
        saved_at=datetime.fromisoformat(head.created_at),
        undo=head.change if head.parent_id is not None else None,
        redo=None if redo is None else redo.change,
    )


class Scenes:
    """All scenes of a data folder."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def add(self, name: str, body: str) -> SavedScene:
        """Add a scene with its first state."""
        with transaction(self._engine) as session:
            row = SceneRow(name=name, head_id=None, created_at=now())
            session.add(row)
            session.flush()
            row.head_id = _add_state(session, row, body, "begun").id
            session.flush()
            return _to_scene(session, row)

    def load(self, scene_id: int) -> SavedScene:
        """Return a scene.

        Raises
        ------
        NotFoundError
            There is none of that number.
        """
        with told(self._engine) as session:
            return _to_scene(session, _require_scene(session, scene_id))

    def load_at(self, scene_id: int, state_id: int) -> SceneState:
        """Return one state of a scene."""
        with told(self._engine) as session:
            return _to_state(_require_own(session, scene_id, state_id))

    def list_all(self, *, in_bin: bool = False) -> list[SavedScene]:
        """Return the scenes, in the bin or not, the newest first."""
        wanted = SceneRow.binned_at.is_not(None) if in_bin else SceneRow.binned_at.is_(None)
        with told(self._engine) as session:
            rows = session.scalars(select(SceneRow).where(wanted).order_by(SceneRow.id.desc()))
            return [_to_scene(session, row) for row in rows]

    def list_states(self, scene_id: int) -> list[SceneState]:
        """Return all states of a scene's history, the first one first."""
        with told(self._engine) as session:
            chosen = select(SceneStateRow).where(SceneStateRow.scene_id == scene_id)
            return [_to_state(row) for row in session.scalars(chosen.order_by(SceneStateRow.id))]

    def commit(self, scene_id: int, seen_head: int, body: str, change: str) -> SavedScene:
        """Add a state after the head that a change was made from.

        Raises
        ------
        StaleHeadError
            The head is another by now; nothing is changed.
        """
        with transaction(self._engine) as session:
            row = _require_head(session, scene_id, seen_head)
            go_on(session, row, _add_state(session, row, body, change))
            return _to_scene(session, row)

    def undo(self, scene_id: int, seen_head: int) -> SavedScene:
        """Go back to the head's parent; stays put at the first state."""
        with transaction(self._engine) as session:
            row = _require_head(session, scene_id, seen_head)
            go_back(session, row, SceneStateRow)
            return _to_scene(session, row)

    def redo(self, scene_id: int, seen_head: int) -> SavedScene:
        """Go to the state that was left last from here."""
        with transaction(self._engine) as session:
            row = _require_head(session, scene_id, seen_head)
            go_forward(session, row, SceneStateRow)
            return _to_scene(session, row)

    def visit(self, scene_id: int, seen_head: int, state_id: int) -> SavedScene:
        """Go to any state of the history."""
        with transaction(self._engine) as session:
            row = _require_head(session, scene_id, seen_head)
            go_to(session, row, _require_own(session, scene_id, state_id))
            return _to_scene(session, row)

    def keep_version(self, scene_id: int, seen_head: int, name: str) -> SavedScene:
        """Keep a scene's present state under a name, if that is the one that was looked at."""
        with transaction(self._engine) as session:
            row = _require_head(session, scene_id, seen_head)
            session.add(SceneVersionRow(state_id=seen_head, name=name, created_at=now()))
            return _to_scene(session, row)

    def list_versions(self, scene_id: int) -> list[Version]:
        """Return the states of a scene that are kept under a name, the newest first."""
        chosen = select(SceneVersionRow).join(SceneStateRow, SceneStateRow.id == SceneVersionRow.state_id)  # fmt: skip
        chosen = chosen.where(SceneStateRow.scene_id == scene_id)
        with told(self._engine) as session:
            rows = session.scalars(chosen.order_by(SceneVersionRow.id.desc()))
            return [Version(row.id, row.state_id, row.name, datetime.fromisoformat(row.created_at)) for row in rows]  # fmt: skip

    def forget_version(self, scene_id: int, version_id: int) -> SavedScene:
        """Take the name off a state of a scene, which stays in the history."""
        with transaction(self._engine) as session:
            row = _require_scene(session, scene_id)
            found = session.get(SceneVersionRow, version_id)
            if found is None:
                raise NotFoundError("This version is not there any more.")
            _require_own(session, scene_id, found.state_id)
            session.delete(found)
            return _to_scene(session, row)

    def rename(self, scene_id: int, name: str) -> SavedScene:
        """Give a scene another name; no part of its history."""
        with transaction(self._engine) as session:
            row = _require_scene(session, scene_id)
            row.name = name
            return _to_scene(session, row)

    def bin(self, scene_id: int) -> SavedScene:
        """Put a scene into the bin; nothing of it is lost."""
        with transaction(self._engine) as session:
            row = _require_scene(session, scene_id, binned=True)
            row.binned_at = row.binned_at or now()
            return _to_scene(session, row)

    def take_out(self, scene_id: int) -> SavedScene:
        """Take a scene out of the bin."""
        with transaction(self._engine) as session:
            row = _require_scene(session, scene_id, binned=True)
            row.binned_at = None
            return _to_scene(session, row)

    def empty_bin(self) -> None:
        """Delete the scenes in the bin with their histories."""
        with transaction(self._engine) as session:
            binned = list(session.scalars(select(SceneRow.id).where(SceneRow.binned_at.is_not(None))))  # fmt: skip
            _delete(session, binned)


def _to_state(row: SceneStateRow) -> SceneState:
    return SceneState(row.id, row.parent_id, row.redo_id, row.change, row.body, datetime.fromisoformat(row.created_at))  # fmt: skip


def _delete(session: Session, scene_ids: Iterable[int]) -> None:
    ids = list(scene_ids)
    states = select(SceneStateRow.id).where(SceneStateRow.scene_id.in_(ids))
    session.execute(delete(SceneVersionRow).where(SceneVersionRow.state_id.in_(states)))
    session.execute(delete(SceneStateRow).where(SceneStateRow.scene_id.in_(ids)))
    session.execute(delete(SceneRow).where(SceneRow.id.in_(ids)))
