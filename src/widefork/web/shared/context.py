"""What every request starts from: who, which model, which view; and how an edit comes back to the page."""

from collections.abc import Callable, Collection, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import wraps
from typing import TypeVar
from urllib.parse import parse_qsl, urlencode, urlsplit

from flask import Response, current_app, g, make_response, redirect, render_template, request

from widefork.core.changes import Change, Step, Switch
from widefork.core.errors import InvalidValue, WideforkError
from widefork.store.edits import Apply, change_cells
from widefork.store.model_store import ModelStore
from widefork.store.sketches import SketchRefused, SketchState
from widefork.web.shared import formats
from widefork.web.shared.address import Address, read_address
from widefork.web.shared.frame import build_frame
from widefork.web.shared.jobs import Jobs, Told
from widefork.web.shared.rounds import ADDRESS_HEADER, send_page
from widefork.web.shared.workspace import Snapshot, Workspace

PERSON_COOKIE = "person"
NOBODY = "Guest"
LONGEST_NAME = 40
LONGEST_COUNT = 15
MOMENT = 0.4
"""Seconds a piece of a page waits for what is being worked out, before it is asked for again."""
PATIENCE = 120.0
"""Seconds an answer may take before it is said that it takes long."""
Kept = TypeVar("Kept")


@dataclass(frozen=True, kw_only=True)
class View:
    """A request's model, as it stands and as it stood, and what of it is shown.

    Parameters
    ----------
    snapshot : with the person's sketch on top, where one is on.
    before : the model before the latest edit, just after it; or, under a sketch, the model without it.
    sketch : the person's, whatever case is shown; None while it is off.
    """

    snapshot: Snapshot
    before: Snapshot | None
    address: Address
    sketch: SketchState | None = None

    @property
    def place(self) -> int:
        """The active case's place in the batch."""
        return self.snapshot.place(self.address.case)


def workspace() -> Workspace:
    """Return the application's workspace."""
    found: Workspace = current_app.extensions["workspace"]
    return found


def jobs() -> Jobs:
    """Return the application's long work."""
    return workspace().jobs


class NotYet(Exception):
    """What a piece needs is still being worked out."""


def worked_out(view: View, key: Hashable, work: Callable[[Told], Kept]) -> Kept:
    """Return something worked out for the model as it is shown, once for all who ask; raises what the work raises.

    Unlike what a snapshot keeps, others go on reading the model meanwhile.

    Parameters
    ----------
    work : hears whether anybody still asks for it; those that take long tell how far they are.

    Raises
    ------
    NotYet: within ``in_pieces``, where it takes longer than a moment.
    """
    snapshot = view.snapshot
    ground = (view.address.model_id, snapshot.revision, snapshot.model.sketch)
    job = workspace().answers.get((*ground, key), work, MOMENT if "in_pieces" in g else PATIENCE)
    if job.fault is not None:
        raise job.fault
    if job.is_running and "in_pieces" in g:
        raise NotYet
    if job.is_running:
        raise InvalidValue(f"This takes longer than {PATIENCE / 60:g} minutes. Ask for less, or again in a while.")
    found: Kept = job.found
    return found


def in_pieces(piece: Callable[..., str]) -> Callable[..., str]:
    """Answer with a piece of a page; while it is worked out, with one that asks again, so that no request is held.

    Work of a piece that nobody asks for any more ends by itself.
    """

    @wraps(piece)
    def asked(model_id: int) -> str:
        g.in_pieces = True
        try:
            return piece(model_id)
        except NotYet:
            return render_template("shared/_working.html", url=request.full_path)

    return asked


def store() -> ModelStore:
    """Return the application's store."""
    return workspace().store


def person() -> str:
    """Return the name the person picked."""
    return request.cookies.get(PERSON_COOKIE, "").strip()[:LONGEST_NAME] or NOBODY


def open_view(model_id: int, page: str) -> View:
    """Return what a request shows; raise UnknownName for a model that is not there."""
    snapshot = workspace().now(model_id)
    formats.show_units(snapshot.stored.model.units)
    address = read_address(request.args, model_id, page, snapshot.stored.model)
    sent = request.form.get("case", "")  # a form says which case it is about; the address it is sent to does not
    if sent in snapshot.case_names:
        address = replace(address, case=sent)
    before = workspace().at(model_id, address.since) if address.since not in (None, snapshot.revision) else None
    sketch = workspace().sketches.of(model_id, person())
    if sketch is not None and not sketch.is_empty:
        sketch = sketch.upon(snapshot.model)
        shows_it = sketch.case == address.case
        return View(
            snapshot=snapshot.sketched(sketch.layer),
            before=snapshot if shows_it else before,
            address=address,
            sketch=sketch,
        )
    return View(snapshot=snapshot, before=before, address=address, sketch=sketch)


def render_page(view: View, template: str, **values: object) -> str:
    """Return a whole page in its frame."""
    undo, redo = store().can_undo(view.address.model_id, person())
    if view.sketch is not None:
        undo, redo = (next(reversed(stack), None) for stack in (view.sketch.sentences, view.sketch.undone))
    frame = build_frame(view.snapshot, view.before, view.address)
    is_just_edited = view.before is not None and view.sketch is None
    page = render_template(
        template,
        frame=frame,
        address=view.address,
        page_name=view.address.page,
        undo_sentence=undo,
        redo_sentence=redo,
        latest=store().latest(view.address.model_id) if is_just_edited else None,
        sketch=view.sketch,
        sketch_case=view.snapshot.model.case(view.sketch.case).label if view.sketch else "",
        **values,
    )
    return send_page(page)


def back_to(since: int | None) -> Response:
    """Return to the page an edit was made on, which then shows what moved since the revision before it."""
    try:
        parts = urlsplit(request.form.get("back", ""))
    except ValueError:  # no address at all, such as “//[”
        parts = urlsplit("/")
    is_ours = parts.path.startswith("/m/") and not parts.scheme and not parts.netloc
    path = parts.path if is_ours else "/"
    query = [(key, value) for key, value in parse_qsl(parts.query) if key != "since"]
    query += [("since", str(since))] if since is not None else []
    return make_response(redirect(f"{path}?{urlencode(query)}" if query else path, code=303))


def with_query(response: Response, **values: str) -> Response:
    """Return a response that leads to a page with some of its query changed; an empty value takes it out."""
    parts = urlsplit(response.location or "")
    query = [(key, value) for key, value in parse_qsl(parts.query) if key not in values]
    query += [(key, value) for key, value in values.items() if value]
    response.location = f"{parts.path}?{urlencode(query)}"
    return response


def with_sentence(
    response: Response, keys: Collection[str], pairs: Sequence[tuple[str, str]], is_asked: bool = True
) -> Response:
    """Return a response that leads to a page with what it asks replaced, and asked or not.

    Parameters
    ----------
    keys : what is taken out of its query first, each however often. pairs : what stands there instead, in order.
    """
    parts = urlsplit(response.location or "")
    query = [(key, value) for key, value in parse_qsl(parts.query, keep_blank_values=True) if key not in keys]
    query = [pair for pair in query if pair[0] != "ask"]
    response.location = f"{parts.path}?{urlencode([*query, *pairs, *([('ask', '1')] if is_asked else [])])}"
    response.headers[ADDRESS_HEADER] = response.location
    return response


def seen_revision() -> int:
    """Return the revision the person was looking at; raise InvalidValue when the form does not say."""
    text = request.form.get("seen", "")
    if not text.isdecimal() or len(text) > LONGEST_COUNT:
        raise InvalidValue("The page has lost track of the model's state. Reload it and try again.")
    return int(text)


def make_edit(model_id: int, change: Apply) -> Response:
    """Make an edit and return to the page; raises what the store raises."""
    before = workspace().now(model_id).revision
    despite = request.form.get("despite") == "yes"
    store().edit(model_id, person(), seen_revision(), change, despite_conflict=despite)
    return back_to(before)


def change_values(view: View, case: str, changes: Sequence[Change], sentence: str) -> Response:
    """Make changes of values: in the person's sketch while it is on, else in the case; and return to the page.

    Raises
    ------
    SketchRefused: the sketch is on another case. And what the core and the store raise.
    """
    if view.sketch is None:
        return make_edit(view.address.model_id, change_cells(case, changes, sentence))
    refuse_other_case(view, case)
    for change in changes:
        view.snapshot.plan.check_changeable(change.line)
    workspace().sketches.add(view.address.model_id, person(), changes, sentence)
    return back_to(None)


def try_in_sketch(view: View, case: str, steps: Sequence[Step], mark: str, sentence: str) -> None:
    """Try steps in the person's sketch, switching it on; they take the place of what was tried there last of this kind.

    Parameters
    ----------
    mark : what the sentences of this kind begin with.

    Raises
    ------
    SketchRefused: a sketch is on another case. And what the store raises.
    """
    refuse_other_case(view, case)
    sketches, model_id = workspace().sketches, view.address.model_id
    if view.sketch is not None and view.sketch.sentences and view.sketch.sentences[-1].startswith(mark):
        sketches.remove(model_id, person(), len(view.sketch.sentences) - 1)
    if steps:
        sketches.start(model_id, person(), case)
        changes = [step for step in steps if isinstance(step, Change)]
        switches = [step for step in steps if isinstance(step, Switch)]
        sketches.add(model_id, person(), changes, f"{mark}{sentence}", switches)


def refuse_other_case(view: View, case: str) -> None:
    """Raise SketchRefused where a sketch is on, but on another case than the one edited."""
    if view.sketch is not None and view.sketch.case != case:
        there = view.snapshot.model.case(view.sketch.case).label
        raise SketchRefused(f"Your sketch is on {there}. Go there to go on with it, or keep or drop it first.")


def refuse_sketch(view: View) -> None:
    """Raise SketchRefused for an edit of the model itself while a sketch is on."""
    if view.sketch is not None:
        raise SketchRefused(
            "A sketch tries other values; formulas, lines and the frame belong to the model. "
            "Keep or drop the sketch first."
        )


def sentence_of(fault: WideforkError) -> str:
    """Return what a person should read of a core error."""
    return str(getattr(fault, "sentence", fault))
