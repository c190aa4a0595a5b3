"""What the page stands on: the model with the person's sketch, but without what this page itself tried in it last."""

from dataclasses import replace

from widefork.web.shared.context import View, workspace

TRIED = "Swings: "
"""What begins the sentences of what this page puts into a sketch."""


def under_trial(view: View) -> View:
    """Return the view without the latest trial of this page, so that what it was chosen from stays as it was."""
    sketch = view.sketch
    if sketch is None or not sketch.sentences or not sketch.sentences[-1].startswith(TRIED):
        return view
    snapshot, earlier = workspace().now(view.address.model_id), sketch.without_latest()
    return replace(view, snapshot=snapshot if earlier.is_empty else snapshot.sketched(earlier.layer))
