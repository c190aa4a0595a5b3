"""What the sheet sends, for tests: one gesture on some rows and months."""

import json


def gesture(kind="type", rows=(("kit_price", "Coast"),), months=("2027-03",), case="base", seen="0", **more):
    """The form of a gesture; ``value``, ``reach``, ``mark``, ``skip``, ``sure`` are of it, all else stands beside."""
    inside = {key: more.pop(key) for key in ("value", "reach", "mark", "skip", "sure") if key in more}
    sent = {"kind": kind, "rows": [list(row) for row in rows], "months": list(months), **inside}
    return {"gesture": json.dumps(sent), "case": case, "seen": seen, "back": f"/m/1/drivers?case={case}", **more}
