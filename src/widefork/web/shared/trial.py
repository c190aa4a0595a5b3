"""What a page of answers stands on: the model with the person's sketch, but without what it itself tried in it last."""

from dataclasses import replace

from widefork.web.shared.context import View, workspace


def under_trial(view: View, mark: str) -> View:
    """Return the view without the latest trial of a page, so that what it was chosen from stays as it was.

    Parameters
    ----------
    mark : what begins the sentences of what the page puts into a sketch.
    """
    sketch = view.sketch
    if sketch is None or not sketch.sentences or not sketch.sentences[-1].startswith(mark):
        return view
    snapshot, earlier = workspace().now(view.address.model_id), sketch.without_latest()
    return replace(view, snapshot=snapshot if earlier.is_empty else snapshot.sketched(earlier.layer))
