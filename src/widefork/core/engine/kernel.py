"""The machine: one compiled function that runs any model's instructions. It knows no model, so nothing is compiled when
a formula changes.

All numbers stand in one buffer. A row is found at ``place[row]`` and holds, month by month, ``width[row]`` values: the
whole batch, or a single value that holds for all of it. An error value is a NaN that carries its origin in its payload,
so it is copied, never made anew; comparisons and choices pass it on explicitly, arithmetic does so by itself.
"""

import numpy as np
from numba import njit

from widefork.core.engine.operations import SOLVED, STEPPED, VECTOR, Op, refuse_stale
from widefork.core.language.functions.time import LEAST_RATE, MOST_RATE, RATE_HALVINGS, RATE_POINTS

refuse_stale("9494db8ca5da")

COPY, ADD, SUBTRACT, MULTIPLY, DIVIDE, POWER = (
    int(op) for op in (Op.COPY, Op.ADD, Op.SUBTRACT, Op.MULTIPLY, Op.DIVIDE, Op.POWER)
)
NEGATE, NOT, EQUAL, UNEQUAL = (int(op) for op in (Op.NEGATE, Op.NOT, Op.EQUAL, Op.UNEQUAL))
LESS, LESS_EQUAL, GREATER, GREATER_EQUAL = (int(op) for op in (Op.LESS, Op.LESS_EQUAL, Op.GREATER, Op.GREATER_EQUAL))
AND, OR, LEAST, GREATEST, CHOOSE = (int(op) for op in (Op.AND, Op.OR, Op.LEAST, Op.GREATEST, Op.CHOOSE))
ROUND, FLOOR, CEILING, MONTHLY_SHARE = (int(op) for op in (Op.ROUND, Op.FLOOR, Op.CEILING, Op.MONTHLY_SHARE))
LEVEL_PAYMENT, OVERLAY, LEAD, LAG, RUNNING_TOTAL = (
    int(op) for op in (Op.LEVEL_PAYMENT, Op.OVERLAY, Op.LEAD, Op.LAG, Op.RUNNING_TOTAL)
)
ROLL_FORWARD, YEAR_TO_DATE, TRAILING, RAMPED = (
    int(op) for op in (Op.ROLL_FORWARD, Op.YEAR_TO_DATE, Op.TRAILING, Op.RAMPED)
)
NET_PRESENT, INTERNAL_RATE = int(Op.NET_PRESENT), int(Op.INTERNAL_RATE)
FADING_IN, OUTSTANDING, WHOLE_FLOW, WHOLE_PARTS, WHOLE_FLOWS, KEEP = (
    int(op) for op in (Op.FADING_IN, Op.OUTSTANDING, Op.WHOLE_FLOW, Op.WHOLE_PARTS, Op.WHOLE_FLOWS, Op.KEEP)
)
ABSOLUTE, EXPONENTIAL, LOGARITHM, SQUARE_ROOT = (
    int(op) for op in (Op.ABSOLUTE, Op.EXPONENTIAL, Op.LOGARITHM, Op.SQUARE_ROOT)
)
IS_VECTOR, IS_STEPPED, IS_SOLVED = int(VECTOR), int(STEPPED), int(SOLVED)

# The same as the plain evaluator's, and written here so that a change of them is compiled (a test compares).
MOST_ROUNDS = 200
SETTLED = 1e-12
NEARLY = 1e-9
TINY, FAR = 1e-12, 1e15
DAYS_IN_MONTH = 30.0


@njit(cache=True, nogil=True, error_model="numpy")
def value_of(op, x, y, z, error):  # pragma: no cover
    """Return what an elementwise operation makes of single values."""
    if x != x and op != OVERLAY:
        return x
    if op == ADD:
        return x + y
    if op == SUBTRACT:
        return x - y
    if op == MULTIPLY:
        return x * y
    if op == COPY:
        return x
    if op == NEGATE:
        return -x
    if op == NOT:
        return 1.0 if x == 0.0 else 0.0
    if op == FLOOR:
        return np.floor(x)
    if op == CEILING:
        return np.ceil(x)
    if op == MONTHLY_SHARE:
        return 1.0 - (1.0 - x) ** (1.0 / 12.0) if x <= 1.0 else error
    if op == ABSOLUTE:
        return abs(x)
    if op == EXPONENTIAL:
        grown = np.exp(x)
        return grown if np.isfinite(grown) else error
    if op == LOGARITHM:
        return np.log(x) if x > 0.0 else error
    if op == SQUARE_ROOT:
        return np.sqrt(x) if x >= 0.0 else error
    if op == CHOOSE:
        return y if x != 0.0 else z
    if op == OVERLAY:
        return x if y != y else y
    if y != y:
        return y
    if op == DIVIDE:
        return error if y == 0.0 else x / y
    if op == LEAST:
        return min(x, y)
    if op == GREATEST:
        return max(x, y)
    if op == LESS:
        return 1.0 if x < y else 0.0
    if op == LESS_EQUAL:
        return 1.0 if x <= y else 0.0
    if op == GREATER:
        return 1.0 if x > y else 0.0
    if op == GREATER_EQUAL:
        return 1.0 if x >= y else 0.0
    if op == EQUAL:
        return 1.0 if x == y else 0.0
    if op == UNEQUAL:
        return 1.0 if x != y else 0.0
    if op == AND:
        return 1.0 if x != 0.0 and y != 0.0 else 0.0
    if op == OR:
        return 1.0 if x != 0.0 or y != 0.0 else 0.0
    if op == POWER:
        raised = x**y
        return raised if np.isfinite(raised) else error
    if op == ROUND:
        factor = 10.0**y
        return np.sign(x) * np.floor(abs(x) * factor + 0.5) / factor
    if op == LEVEL_PAYMENT:
        return level_payment(x, y, z, error)
    return x


@njit(cache=True, nogil=True, error_model="numpy")
def level_payment(principal, rate, months, error):  # pragma: no cover
    """Return the payment that clears a principal in equal amounts."""
    if months != months:
        return months
    if rate == 0.0:
        return error if months == 0.0 else principal * (1.0 / months)
    payment = principal * (rate / -np.expm1(-months * np.log1p(rate)))
    return error if payment != payment else payment


@njit(cache=True, nogil=True)
def hide_nothing(out, x, y):  # pragma: no cover
    """Let error values of what was compared stand."""
    for i in range(out.shape[0]):
        out[i] = x[i] if x[i] != x[i] else y[i] if y[i] != y[i] else out[i]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def block(op, out, x, y, z, errors, first, batch):  # pragma: no cover
    """Compute a run of months × batch; ``errors`` holds the error value of each month, ``first`` is the run's first."""
    n = out.shape[0]
    if op == ADD:
        for i in range(n):
            out[i] = x[i] + y[i]
    elif op == SUBTRACT:
        for i in range(n):
            out[i] = x[i] - y[i]
    elif op == MULTIPLY:
        for i in range(n):
            out[i] = x[i] * y[i]
    elif op == DIVIDE:
        zeros = 0
        for i in range(n):
            out[i] = x[i] / y[i]
            zeros += y[i] == 0.0
        if zeros:
            for i in range(n):
                if y[i] == 0.0 and x[i] == x[i]:
                    out[i] = errors[first + i // batch]
    elif op == LEAST:
        for i in range(n):
            p, q = x[i], y[i]
            out[i] = p if p < q or p != p else q
    elif op == GREATEST:
        for i in range(n):
            p, q = x[i], y[i]
            out[i] = p if p > q or p != p else q
    elif op == COPY:
        for i in range(n):
            out[i] = x[i]
    elif op == NEGATE:
        for i in range(n):
            out[i] = -x[i]
    elif op == CHOOSE:
        for i in range(n):
            p, q = x[i], y[i] if x[i] != 0.0 else z[i]
            out[i] = p if p != p else q
    elif op == LESS:
        for i in range(n):
            out[i] = 1.0 if x[i] < y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == LESS_EQUAL:
        for i in range(n):
            out[i] = 1.0 if x[i] <= y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == GREATER:
        for i in range(n):
            out[i] = 1.0 if x[i] > y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == GREATER_EQUAL:
        for i in range(n):
            out[i] = 1.0 if x[i] >= y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == EQUAL:
        for i in range(n):
            out[i] = 1.0 if x[i] == y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == UNEQUAL:
        for i in range(n):
            out[i] = 1.0 if x[i] != y[i] else 0.0
        hide_nothing(out, x, y)
    elif op == OVERLAY:
        for i in range(n):
            out[i] = x[i] if y[i] != y[i] else y[i]
    else:
        for i in range(n):
            out[i] = value_of(op, x[i], y[i], z[i], errors[first + i // batch])


@njit(cache=True, nogil=True)
def early(month, opening_counts, history, tables, values):  # pragma: no cover
    """Return a value before the first month: from history, else the opening value where it counts, else 0."""
    start, length = tables[history, 0], tables[history, 1]
    known = length + month
    if known >= 0:
        return values[start + known]
    return values[start + length] if opening_counts else 0.0


@njit(cache=True, nogil=True)
def add_past(total, buffer, place, width, month, history, tables, values):  # pragma: no cover
    """Add a row's values in a month, which may lie before the first one, to a total."""
    batch = total.shape[0]
    if month >= 0 and width == batch:
        months_values = buffer[place + month * batch : place + (month + 1) * batch]
        for i in range(batch):
            total[i] += months_values[i]
        return
    value = buffer[place + month] if month >= 0 else early(month, False, history, tables, values)
    for i in range(batch):
        total[i] += value


@njit(cache=True, nogil=True)
def add_weighted(total, op, weights, ages, buffer, place, width, month, history, tables, values):  # pragma: no cover
    """Add the last months of a row to a total, each by the weight of its age."""
    batch, before = total.shape[0], 0.0
    for age in range(ages):
        weight = 1.0
        if op == RAMPED:
            weight = values[weights + age]
        elif op == FADING_IN:
            weight = values[weights + age] - before
            before = values[weights + age]
        back = month - age
        if back >= 0 and width == batch:
            here = place + back * batch
            if batch == 1:
                total[0] += weight * buffer[here]
            else:
                months_values = buffer[here : here + batch]
                for i in range(batch):
                    total[i] += weight * months_values[i]
        else:
            value = buffer[place + back] if back >= 0 else early(back, op == FADING_IN, history, tables, values)
            for i in range(batch):
                total[i] += weight * value


@njit(cache=True, nogil=True)
def weigh_all(op, out, x, weights, ages, months, history, tables, values, running):  # pragma: no cover
    """Compute all months at once of an operation that weighs the last months by age: age by age, each in one sweep."""
    batch, size, before = running.shape[0], out.shape[0], 0.0
    known, opening_counts = tables[history, 1], op == FADING_IN
    out[:] = 0.0
    for age in range(ages):
        weight = 1.0 if op == TRAILING else values[weights + age]
        if op == FADING_IN:
            weight, before = weight - before, weight
        shift = min(age, months) * batch
        for i in range(size - shift):
            out[shift + i] += weight * x[i]
        if known or opening_counts:
            for month in range(min(age, months)):
                value = weight * early(month - age, opening_counts, history, tables, values)
                for i in range(batch):
                    out[month * batch + i] += value
    if op == RAMPED:  # whatever is older than the profile keeps its last weight
        running[:] = 0.0
        for settled in range(-known, months - ages):
            month = settled + ages
            for i in range(batch):
                running[i] += x[settled * batch + i] if settled >= 0 else early(settled, False, history, tables, values)
                if month >= 0:
                    out[month * batch + i] += values[weights + ages] * running[i]


@njit(cache=True, nogil=True, error_model="numpy")
def net_present(buffer, place, step, month, rate, error):  # pragma: no cover
    """Return what all months so far of a row are worth at the start of the first, each at its end."""
    if rate != rate or rate <= -1.0:
        return rate if rate != rate else error
    total = 0.0
    for back in range(month + 1):
        total += buffer[place + back * step] / (1.0 + rate) ** ((back + 1) / 12)
    return total


@njit(cache=True, nogil=True)
def worth_at(buffer, place, step, month, factor):  # pragma: no cover
    """Return what all months so far of a row are worth in the first, at a discount factor of a month."""
    total = 0.0
    for back in range(month, -1, -1):
        total = total * factor + buffer[place + back * step]
    return total


@njit(cache=True, nogil=True)
def internal_rate(buffer, place, step, month, error):  # pragma: no cover
    """Return the yearly rate at which all months so far of a row are worth nothing, where there is just one."""
    lowest = (1.0 + MOST_RATE) ** (-1 / 12)
    ratio = ((1.0 + LEAST_RATE) ** (-1 / 12) / lowest) ** (1 / (RATE_POINTS - 1))
    turns, low, high, left = 0, 0.0, 0.0, lowest
    before = worth_at(buffer, place, step, month, lowest)
    for point in range(1, RATE_POINTS):
        right = lowest * ratio**point
        here = worth_at(buffer, place, step, month, right)
        if here != here:
            return here
        if before * here < 0.0:
            turns, low, high = turns + 1, left, right
        before, left = here, right
    if turns != 1:
        return error
    rising = worth_at(buffer, place, step, month, high) > worth_at(buffer, place, step, month, low)
    for _ in range(RATE_HALVINGS):
        middle = (low + high) / 2
        if (worth_at(buffer, place, step, month, middle) > 0.0) == rising:
            high = middle
        else:
            low = middle
    return ((low + high) / 2) ** -12.0 - 1.0


@njit(cache=True, nogil=True)
def look_back(
    op, a, b, p, q, target, first, last, buffer, place, width, tables, values, running, error
):  # pragma: no cover
    """Compute months ``first`` to ``last`` of an operation that weighs many earlier months."""
    pa, wa, batch = place[a], width[a], width[target]
    history = p if op == OUTSTANDING else q
    known = tables[history, 1]
    if op <= FADING_IN and wa == batch and last - first > 1:
        whole_row = buffer[place[target] : place[target] + last * batch]
        x = buffer[pa : pa + last * batch]
        ages = p if op == TRAILING else tables[p, 1] - (1 if op == RAMPED else 0)
        weigh_all(op, whole_row, x, tables[p, 0] if op != TRAILING else 0, ages, last, q, tables, values, running)
        return
    for month in range(first, last):
        here = place[target] + month * batch
        out = buffer[here : here + batch]
        if op == TRAILING:
            out[:] = 0.0
            add_weighted(out, op, 0, p, buffer, pa, wa, month, q, tables, values)
        elif op == RAMPED:
            start, length = tables[p, 0], tables[p, 1]
            out[:] = 0.0
            ages = min(length - 1, month + known + 1)
            add_weighted(out, op, start, ages, buffer, pa, wa, month, q, tables, values)
            newest = month - length + 1
            oldest = newest if month > first else -known  # what is settled is summed up once, then carried on
            if month == first:
                running[:] = 0.0
            for settled in range(max(oldest, -known), newest + 1):
                add_past(running, buffer, pa, wa, settled, q, tables, values)
            for i in range(batch):
                out[i] += values[start + length - 1] * running[i]
        elif op == FADING_IN:
            start, length = tables[p, 0], tables[p, 1]
            out[:] = 0.0
            add_weighted(out, op, start, length, buffer, pa, wa, month, q, tables, values)
        elif op == OUTSTANDING:
            furthest = 0.0
            for i in range(batch):
                reach = buffer[place[b] + month * width[b] + (i if width[b] == batch else 0)] / DAYS_IN_MONTH
                running[i] = reach
                out[i] = 0.0 * reach
                furthest = max(furthest, reach)
            for age in range(min(np.ceil(furthest), month + known + 1.0)):
                back = month - age
                value = early(back, False, p, tables, values) if back < 0 else 0.0
                here, step = (pa + back * wa, 1 if wa == batch else 0) if back >= 0 else (0, 0)
                for i in range(batch):
                    share = min(running[i] - age, 1.0)
                    if share > 0.0:
                        out[i] += share * (value if back < 0 else buffer[here + i * step])
        elif op == NET_PRESENT:
            for i in range(batch):
                rate = buffer[place[b] + month * width[b] + (i if width[b] == batch else 0)]
                out[i] = net_present(buffer, pa + (i if wa == batch else 0), wa, month, rate, error[month])
        elif op == INTERNAL_RATE:
            for i in range(batch):
                out[i] = internal_rate(buffer, pa + (i if wa == batch else 0), wa, month, error[month])
        elif op == WHOLE_FLOW:
            if month == first:
                running[:] = 0.0
                for back in range(month):
                    add_past(running, buffer, pa, wa, back, 0, tables, values)
            for i in range(batch):
                earlier = running[i]
                running[i] = earlier + buffer[pa + month * wa + (i if wa == batch else 0)]
                out[i] = whole(running[i]) - whole(earlier)


@njit(cache=True, nogil=True)
def carry(op, a, p, q, target, first, last, buffer, place, width, tables, values, fiscal):  # pragma: no cover
    """Compute months ``first`` to ``last`` of an operation that reads one other month; to look ahead, all of them."""
    pa, pt, wa, batch = place[a], place[target], width[a], width[target]
    for month in range(first, last):
        here = pt + month * batch
        if op <= LAG:
            back = month - p if op == LAG else min(month + p, last - 1)
            if back >= 0 and wa == batch:
                for i in range(batch):
                    buffer[here + i] = buffer[pa + back * batch + i]
            else:
                value = buffer[pa + back] if back >= 0 else early(back, True, q, tables, values)
                for i in range(batch):
                    buffer[here + i] = value
            continue
        carries = month > 0 and (op != YEAR_TO_DATE or fiscal[month] != 1)
        start = early(-1, True, q, tables, values) if op == ROLL_FORWARD and month == 0 else 0.0
        for i in range(batch):
            before = buffer[here - batch + i] if carries else start
            buffer[here + i] = before + buffer[pa + month * wa + (i if wa == batch else 0)]


@njit(cache=True, nogil=True)
def whole(total):  # pragma: no cover
    """Return a total rounded, halves away from zero."""
    return np.sign(total) * np.floor(abs(total) + 0.5 + NEARLY)


@njit(cache=True, nogil=True)
def whole_parts(inst, lists, buffer, place, width, month, batch):  # pragma: no cover
    """Round the rows of a list so that they add up to the rounded whole: largest remainder, the first of equals."""
    count = inst[5]
    below = np.empty(count)
    left = np.empty(count)
    for i in range(batch):
        total = 0.0
        for k in range(count):
            row = lists[inst[2] + k]
            total += buffer[place[row] + month * width[row] + (i if width[row] > 1 else 0)]
        sign = -1.0 if total < 0.0 else 1.0
        missing = np.floor(total * sign + 0.5 + NEARLY)
        for k in range(count):
            row = lists[inst[2] + k]
            value = buffer[place[row] + month * width[row] + (i if width[row] > 1 else 0)] * sign
            below[k] = np.floor(value + NEARLY)
            left[k] = np.rint((value - below[k]) * 1e9) / 1e9
            missing -= below[k]
        for k in range(count):
            rank = 0
            for other in range(count):
                rank += left[other] > left[k] or (left[other] == left[k] and other < k)
            target = place[inst[1] + k] + month * width[inst[1] + k] + (i if width[inst[1] + k] > 1 else 0)
            value = (below[k] + (1.0 if rank < missing else 0.0)) * sign
            buffer[target] = total if total != total else value


@njit(cache=True, nogil=True)
def whole_flows(inst, lists, buffer, place, width, month, batch):  # pragma: no cover
    """Hand out what the rounded whole has grown by: to whom a whole one is owed first, then to whom it will be soonest.

    What each is owed is summed up from the first month on, in the plain evaluator's very order.
    """
    count = inst[5]
    owed = np.empty(count)
    flow = np.empty(count)
    handed = np.empty(count)
    for i in range(batch):
        owed[:] = 0.0
        running, before = 0.0, 0.0
        for back in range(month + 1):
            before = whole(running)
            for k in range(count):
                row, target = lists[inst[2] + k], inst[1] + k
                flow[k] = buffer[place[row] + back * width[row] + (i if width[row] > 1 else 0)]
                owed[k] += flow[k]
                running += flow[k]
                if back < month:
                    owed[k] -= buffer[place[target] + back * width[target] + (i if width[target] > 1 else 0)]
        missing = 0.0
        for k in range(count):
            handed[k] = np.floor(max(owed[k], 0.0) + NEARLY)
            missing -= handed[k]
        if running == running:
            missing += whole(running) - before
            step = 1.0 if missing > 0.0 else -1.0
            for _ in range(int(abs(missing))):
                anybody = False
                for k in range(count):
                    anybody = anybody or handed[k] > 0.0
                chosen, best = -1, 0.0
                for k in range(count):
                    left = owed[k] - handed[k] + (0.0 if step > 0.0 else 1.0)
                    waits = (1.0 - left) / max(flow[k], TINY) + (0.0 if left > NEARLY else FAR)
                    may = step > 0.0 or handed[k] > 0.0 or not anybody
                    if may and (chosen < 0 or (waits < best if step > 0.0 else waits > best)):
                        chosen, best = k, waits
                handed[chosen] += step
        for k in range(count):
            target = inst[1] + k
            here = place[target] + month * width[target] + (i if width[target] > 1 else 0)
            buffer[here] = running if running != running else handed[k]


@njit(cache=True, nogil=True, inline="always")
def spread(buffer, place, width, first, length, scratch):  # pragma: no cover
    """Return a row's run of values; a single value that holds for a whole batch is spread over the scratch."""
    if width * length == scratch.shape[0] * length and width != 1:
        return buffer[place + first * width : place + (first + length) * width]
    if scratch.shape[0] == 1:
        return buffer[place + first : place + first + length]
    scratch[:] = buffer[place + first]
    return scratch


@njit(cache=True, nogil=True, error_model="numpy")
def run_range(
    code,
    start,
    stop,
    since,
    until,
    by_month,
    buffer,
    place,
    width,
    errors,
    tables,
    values,
    fiscal,
    lists,
    scratch,
    kept,
):  # pragma: no cover
    """Run instructions in order for the months from ``since`` to ``until``: month by month, or each for all of them."""
    for window in range(until - since if by_month else 1):
        first = since + window
        last = first + 1 if by_month else until
        for i in range(start, stop):
            op, target, a, b, c = code[i, 0], code[i, 1], code[i, 2], code[i, 3], code[i, 4]
            batch = width[target]
            if op < LEAD and batch == 1 and last - first == 1:
                x, y = buffer[place[a] + first], buffer[place[b] + first]
                value = value_of(op, x, y, buffer[place[c] + first], np.nan)
                if value != value and x == x and y == y and code[i, 7] >= 0:
                    value = errors[code[i, 7], first]
                buffer[place[target] + first] = value
            elif op < LEAD:
                alike = width[a] == batch and width[b] == batch and width[c] == batch
                length = last - first if alike else 1
                for month in range(first, last, length):
                    here = place[target] + month * batch
                    block(
                        op,
                        buffer[here : here + length * batch],
                        spread(buffer, place[a], width[a], month, length, scratch[0]),
                        spread(buffer, place[b], width[b], month, length, scratch[1]),
                        spread(buffer, place[c], width[c], month, length, scratch[2]),
                        errors[code[i, 7]],
                        month,
                        batch,
                    )
            elif op == LAG and batch == 1 and last - first == 1:
                back = first - code[i, 5]
                buffer[place[target] + first] = (
                    buffer[place[a] + back] if back >= 0 else early(back, True, code[i, 6], tables, values)
                )
            elif LAG < op <= YEAR_TO_DATE and batch == 1 and last - first == 1:
                carries = first > 0 and (op != YEAR_TO_DATE or fiscal[first] != 1)
                before = buffer[place[target] + first - 1] if carries else 0.0
                if op == ROLL_FORWARD and first == 0:
                    before = early(-1, True, code[i, 6], tables, values)
                buffer[place[target] + first] = before + buffer[place[a] + first]
            elif op <= YEAR_TO_DATE:
                carry(op, a, code[i, 5], code[i, 6], target, first, last, buffer, place, width, tables, values, fiscal)
            elif op == KEEP and batch == 1:
                row = kept[code[i, 5]]
                for month in range(first, last):
                    row[month, 0] = buffer[place[target] + month]
            elif op == KEEP:
                for month in range(first, last):
                    here = place[target] + month * batch
                    kept[code[i, 5], month] = buffer[here : here + batch]
            elif op < WHOLE_PARTS:
                look_back(
                    op,
                    a,
                    b,
                    code[i, 5],
                    code[i, 6],
                    target,
                    first,
                    last,
                    buffer,
                    place,
                    width,
                    tables,
                    values,
                    scratch[3],
                    errors[code[i, 7]],
                )
            else:
                for month in range(first, last):
                    if op == WHOLE_PARTS:
                        whole_parts(code[i], lists, buffer, place, width, month, batch)
                    else:
                        whole_flows(code[i], lists, buffer, place, width, month, batch)


@njit(cache=True, nogil=True)
def start_month(watched, month, buffer, place, width):  # pragma: no cover
    """Begin a month that is solved with the values of the month before."""
    for row in watched:
        here = place[row] + month * width[row]
        for i in range(width[row]):
            buffer[here + i] = buffer[here - width[row] + i] if month else 0.0


@njit(cache=True, nogil=True)
def remember(watched, month, buffer, place, width, before):  # pragma: no cover
    """Keep a month's watched values."""
    for k in range(watched.shape[0]):
        here = place[watched[k]] + month * width[watched[k]]
        for i in range(width[watched[k]]):
            before[k, i] = buffer[here + i]


@njit(cache=True, nogil=True)
def has_moved(watched, month, buffer, place, width, before, moved):  # pragma: no cover
    """Note which entries of the batch have not settled since; an error value has."""
    moved[:] = False
    for k in range(watched.shape[0]):
        here = place[watched[k]] + month * width[watched[k]]
        for i in range(width[watched[k]]):
            now = buffer[here + i]
            still = abs(now - before[k, i]) <= SETTLED * max(1.0, abs(now))
            if not still and now == now:
                moved[i] = True
    return moved.any()


@njit(cache=True, nogil=True)
def give_up(watched, month, buffer, place, width, moved, errors):  # pragma: no cover
    """Leave error values where a month did not settle."""
    for row in watched:
        for i in range(width[row]):
            if moved[i]:
                buffer[place[row] + month * width[row] + i] = errors[errors.shape[0] - 1, month]


@njit(cache=True, nogil=True, error_model="numpy")
def run(
    code,
    sections,
    watched,
    months,
    buffer,
    place,
    width,
    errors,
    tables,
    values,
    fiscal,
    lists,
    scratch,
    before,
    unsolved,
    kept,
):  # pragma: no cover
    """Run sections of instructions in order.

    Parameters
    ----------
    code : int, shape (instructions, 8). sections : int, shape (sections, 5): first, stop, kind, watched from, to.
    place, width : int, shape (rows,). errors : shape (instructions that can fail + 1, months), the last for unsolved
    months. tables : int, shape (histories and profiles, 2): where they start among ``values``, and how long they are;
    a history's opening value stands behind it. scratch : shape (4, batch). before : shape (watched rows, batch).
    unsolved : by section, the first month that did not settle, -1 for none. kept : shape (rows kept, months, batch),
    where KEEP writes.
    """
    moved = np.zeros(scratch.shape[1], dtype=np.bool_)
    for s in range(sections.shape[0]):
        start, stop, kind = sections[s, 0], sections[s, 1], sections[s, 2]
        rows = watched[sections[s, 3] : sections[s, 4]]
        windows = months if kind == IS_SOLVED else 1
        for window in range(windows):
            since, until = (window, window + 1) if kind == IS_SOLVED else (0, months)
            if kind == IS_SOLVED:
                start_month(rows, window, buffer, place, width)
            for turn in range(MOST_ROUNDS if kind == IS_SOLVED else 1):
                if kind == IS_SOLVED:
                    remember(rows, window, buffer, place, width, before)
                run_range(
                    code,
                    start,
                    stop,
                    since,
                    until,
                    kind != IS_VECTOR,
                    buffer,
                    place,
                    width,
                    errors,
                    tables,
                    values,
                    fiscal,
                    lists,
                    scratch,
                    kept,
                )
                if kind == IS_SOLVED:
                    if not has_moved(rows, window, buffer, place, width, before, moved):
                        break
                    if turn == MOST_ROUNDS - 1:
                        give_up(rows, window, buffer, place, width, moved, errors)
                        unsolved[s] = window if unsolved[s] < 0 else unsolved[s]
