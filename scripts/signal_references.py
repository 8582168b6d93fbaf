#!/usr/bin/env python3
"""Writes filters.tsv and spectra.tsv in crates/core/tests/references: what filters give and what spectra say, worked out apart
from the program.

Each filter is worked out by its published formula in a way that the program does not go: digital Butterworth filters and
notches from poles and zeros as difference equations, Savitzky-Golay by least squares in fractions, all others by their
definitions over all rows so far. The inputs stand in the file too: an impulse, a step, a ramp, a sine, noise; uneven rows with
gaps.
"""
import cmath
import math
import random
from fractions import Fraction
from pathlib import Path

chance = random.Random(14)
FOLDER = Path(__file__).resolve().parent.parent / "crates/core/tests/references"
DT = 0.01
COUNT = 240


def butterworth(kind, order, low, high=None):
    """Sections (b, a) of the digital filter: prewarped analog prototype, bilinear transform; S. Butterworth, 1930."""
    warp = lambda f: 2 / DT * math.tan(math.pi * f * DT)
    poles = [cmath.exp(1j * math.pi * (2 * i + order + 1) / (2 * order)) for i in range(order)]
    if kind == "low":
        w = warp(low)
        analog, zeros = [p * w for p in poles], [-1.0] * order
    elif kind == "high":
        w = warp(low)
        analog, zeros = [w / p for p in poles], [1.0] * order
    else:
        w0, width = math.sqrt(warp(low) * warp(high)), warp(high) - warp(low)
        analog = []
        for p in poles:
            root = cmath.sqrt((p * width / 2) ** 2 - w0 ** 2)
            analog += [p * width / 2 + root, p * width / 2 - root]
        zeros = [1.0] * order + [-1.0] * order
    digital = [(2 / DT + p) / (2 / DT - p) for p in analog]
    at = {"low": 1.0, "high": -1.0, "band": cmath.exp(2j * math.atan(w0 * DT / 2)) if kind == "band" else 0}[kind]
    gain = 1 / abs(math.prod((at - z) for z in zeros) / math.prod((at - p) for p in digital))
    if kind == "band":
        zeros = [z for pair in zip([1.0] * order, [-1.0] * order) for z in pair]
    # Pairs of conjugate poles, real ones in pairs or alone.
    up = sorted([p for p in digital if p.imag > 1e-12], key=lambda p: abs(p))
    real = [p.real for p in digital if abs(p.imag) <= 1e-12]
    groups = [(p, p.conjugate()) for p in up] + [tuple(real[i:i + 2]) for i in range(0, len(real), 2)]
    sections = []
    for group in groups:
        z, zeros = zeros[:len(group)], zeros[len(group):]
        poly = lambda roots: [1.0, -sum(roots).real if roots else 0, math.prod(roots).real if len(roots) == 2 else 0.0]
        sections.append((poly([complex(v) for v in z]), poly([complex(v) for v in group])))
    sections[0] = ([gain * b for b in sections[0][0]], sections[0][1])
    return sections


def notch(hertz, width):
    """The second-order notch of S. J. Orfanidis, Introduction to Signal Processing, 1996, 11.3."""
    w, beta = 2 * math.pi * hertz * DT, math.tan(math.pi * width * DT)
    gain = 1 / (1 + beta)
    return ([gain, -2 * gain * math.cos(w), gain], [1.0, -2 * gain * math.cos(w), 2 * gain - 1])


def run(sections, x, keeps_slow):
    """Difference equations, at rest at the first value."""
    base = x[0]
    y = [v - base for v in x]
    for b, a in sections:
        out = []
        for n in range(len(y)):
            value = sum(b[i] * y[n - i] for i in range(3) if n >= i)
            value -= sum(a[i] * out[n - i] for i in range(1, 3) if n >= i)
            out.append(value)
        y = out
    return [v + (base if keeps_slow else 0.0) for v in y]


def polynomial(rows, degree, at):
    """Least squares in fractions; the degree falls where the rows do not tell it."""
    t = [Fraction(time) for time, _ in rows]
    v = [Fraction(value) for _, value in rows]
    degree = min(degree, len(set(t)) - 1)
    n = degree + 1
    m = [[sum(x ** (i + j) for x in t) for j in range(n)] + [sum(x ** i * y for x, y in zip(t, v))] for i in range(n)]
    for i in range(n):
        pivot = next(r for r in range(i, n) if m[r][i] != 0)
        m[i], m[pivot] = m[pivot], m[i]
        for r in range(n):
            if r != i:
                factor = m[r][i] / m[i][i]
                m[r] = [a - factor * b for a, b in zip(m[r], m[i])]
    return float(sum(m[i][n] / m[i][i] * Fraction(at) ** i for i in range(n)))


def median(values):
    values, n = sorted(values), len(values)
    return (values[(n - 1) // 2] + values[n // 2]) / 2


def definition(name, settings, rows):
    """What a filter gives for each of the rows (time, value or None), by its definition over the rows so far."""
    out, sound = [], []
    level = shown = None
    offs, finest = [], math.inf
    for time, value in rows:
        if value is None:
            out.append(None)
            continue
        sound.append((time, value))
        count = settings.get("rows")
        if count:
            window = sound[-count:]
        elif "seconds" in settings:
            window = [row for row in sound if row[0] == time or time - row[0] < settings["seconds"] - 1e-12]
        values = [row[1] for row in window] if (count or "seconds" in settings) else []
        if name == "mean":
            out.append(math.fsum(values) / len(values))
        elif name == "median":
            out.append(median(values))
        elif name == "exponential":
            if level is None:
                level = value
            else:
                steps = 1 / count if count else (time - sound[-2][0]) / settings["seconds"]
                level += (1 - math.exp(-steps)) * (value - level)
            out.append(level)
        elif name == "savitzky-golay":
            first = window[0][0]
            own = [((t - first) / DT, v) for t, v in window]
            # Rows lie on thousandths, so that fractions stay short.
            own = [(round(t * 1000) / 1000, v) for t, v in own]
            out.append(polynomial(own, settings["degree"], own[-1][0] if settings.get("at_newest") else (own[0][0] + own[-1][0]) / 2))
        elif name == "spikes":
            if len(sound) > 1 and sound[-1][1] != sound[-2][1]:
                finest = min(finest, abs(sound[-1][1] - sound[-2][1]))
            middle = median(values)
            offs.append(abs(value - middle))
            deviation = 1.482602218505602 * median(offs[-len(values):])
            deviation = max(deviation, finest if finest < math.inf else 0.0)
            spike = len(values) >= 5 and abs(value - middle) > settings["deviations"] * deviation
            out.append(middle if spike else value)
        elif name == "rate-limit":
            if level is None:
                level = value
            else:
                most = settings["per_second"] * (time - sound[-2][0])
                level = min(max(value, level - most), level + most)
            out.append(level)
        elif name == "dead-band":
            if shown is None or abs(value - shown) > settings["band"]:
                shown = value
            out.append(shown)
        elif name == "settled":
            if time - sound[0][0] >= settings["seconds"] - 1e-12 and max(values) - min(values) <= settings["band"]:
                mean = math.fsum(values) / len(values)
                if shown is None or abs(mean - shown) > settings["band"] / 2:
                    shown = mean
            out.append(shown)
    return out


def trapezoid(order, cutoff, rows):
    """A Butterworth low-pass as states that are carried on by the trapezoidal rule over each real interval."""
    sections = [(2 * math.sin(math.pi * (2 * i + 1) / (2 * order)),) for i in range(order // 2)] + [()] * (order % 2)
    states = None
    out = []
    before = None
    for time, value in rows:
        if value is None:
            out.append(None)
            continue
        if states is None:
            states = [[0.0, value] if k else [value] for k in sections]
            inputs = [value] * len(sections)
            out.append(value)
        else:
            g = math.tan(math.pi * cutoff * (time - before))
            u = value
            for i, k in enumerate(sections):
                # x' = A x + B u in units of the cut-off; (1 - g A) x1 = (1 + g A) x0 + g B (u0 + u1).
                if k:
                    a = [[-k[0], -1.0], [1.0, 0.0]]
                    b = [1.0, 0.0]
                    x = states[i]
                    right = [x[r] + g * sum(a[r][c] * x[c] for c in range(2)) + g * b[r] * (inputs[i] + u) for r in range(2)]
                    m = [[(1.0 if r == c else 0.0) - g * a[r][c] for c in range(2)] for r in range(2)]
                    d = m[0][0] * m[1][1] - m[0][1] * m[1][0]
                    states[i] = [(right[0] * m[1][1] - right[1] * m[0][1]) / d, (right[1] * m[0][0] - right[0] * m[1][0]) / d]
                    inputs[i], u = u, states[i][1]
                else:
                    x = states[i][0]
                    states[i] = [(x * (1 - g) + g * (inputs[i] + u)) / (1 + g)]
                    inputs[i], u = u, states[i][0]
            out.append(u)
        before = time
    return out


def toml(name, settings):
    spelled = lambda v: str(v).lower() if isinstance(v, bool) else f'"{v}"' if isinstance(v, str) else repr(v)
    return f'{{ kind = "{name}"' + "".join(f", {k} = {spelled(v)}" for k, v in settings.items()) + " }"


def main():
    even = [i * DT for i in range(COUNT)]
    inputs = {
        "impulse": [1.0 if i == 40 else 0.0 for i in range(COUNT)],
        "step": [3.0 if i < 40 else 8.0 for i in range(COUNT)],
        "ramp": [0.25 * i - 10.0 for i in range(COUNT)],
        "sine": [100.0 + 20.0 * math.sin(2 * math.pi * 3.7 * t) + math.sin(2 * math.pi * 31.0 * t) for t in even],
        "noise": [2048.0 + round(chance.gauss(0, 4)) + (300.0 if i % 57 == 31 else 0.0) for i in range(COUNT)],
    }
    rows = {name: list(zip(even, values)) for name, values in inputs.items()}
    time, uneven = 0.0, []
    for i in range(COUNT):
        gap = i % 23 == 11
        uneven.append((round(time, 5), None if gap else round(50.0 + 30.0 * math.sin(time * 4.0) + chance.gauss(0, 1), 6)))
        time += DT * (0.8 + 0.01 * chance.randrange(40))
    rows["uneven"] = uneven
    lines = []
    for name, values in rows.items():
        cell = " ".join(f"{t!r}:{'gap' if v is None else repr(v)}" for t, v in values)
        lines.append(f"input\t{name}\t{cell}")
    filters = [("mean", {"rows": 9}), ("mean", {"seconds": 0.155}), ("median", {"rows": 8}), ("median", {"seconds": 0.21}),
               ("exponential", {"rows": 6}), ("exponential", {"seconds": 0.07}),
               ("savitzky-golay", {"rows": 11, "degree": 2}), ("savitzky-golay", {"rows": 12, "degree": 4}),
               ("savitzky-golay", {"seconds": 0.15, "degree": 3, "at_newest": True}),
               ("spikes", {"rows": 15, "deviations": 5.0}), ("spikes", {"seconds": 0.1, "deviations": 3.0}),
               ("rate-limit", {"per_second": 120.0}), ("dead-band", {"band": 4.0}), ("settled", {"band": 12.0, "seconds": 0.2})]
    sample = list(range(0, COUNT, 7)) + [40, 41, 42, 43, 44]
    spell = lambda values: " ".join(f"{i}:{'gap' if values[i] is None else repr(values[i])}" for i in sorted(set(sample)))
    for name, settings in filters:
        for source in rows:
            lines.append(f"{toml(name, settings)}\t{source}\t{spell(definition(name, settings, rows[source]))}")
    recursive = []
    for order in range(1, 9):
        recursive.append(({"pass": "low", "order": order, "cutoff": 4.0}, butterworth("low", order, 4.0), True))
        recursive.append(({"pass": "high", "order": order, "cutoff": 6.0}, butterworth("high", order, 6.0), False))
        recursive.append(({"pass": "band", "order": order, "cutoff": 3.0, "upper": 12.0}, butterworth("band", order, 3.0, 12.0), False))
    recursive.append(({"pass": "band", "order": 3, "cutoff": 0.5, "upper": 40.0}, butterworth("band", 3, 0.5, 40.0), False))
    for settings, sections, slow in recursive:
        for source in ["impulse", "step", "ramp", "sine", "noise"]:
            lines.append(f"{toml('butterworth', settings)}\t{source}\t{spell(run(sections, inputs[source], slow))}")
    for settings, sections in [({"hertz": 30.0, "harmonics": 1, "width": 2.0}, [notch(30.0, 2.0)]),
                               ({"hertz": 7.0, "harmonics": 3, "width": 1.0}, [notch(7.0 * n, 1.0) for n in (1, 2, 3)]),
                               # At 100 rows/s 60 Hz shows at 40 Hz.
                               ({"hertz": 60.0, "harmonics": 1, "width": 3.0}, [notch(40.0, 3.0)])]:
        for source in ["impulse", "step", "ramp", "sine", "noise"]:
            lines.append(f"{toml('notch', settings)}\t{source}\t{spell(run(sections, inputs[source], True))}")
    # Gaps make an interval twice as long, which is gone through in two parts: rows without gaps here.
    whole = [row for row in uneven if row[1] is not None]
    close = [whole[0]]
    for t, v in whole[1:]:
        close.append((round(close[-1][0] + DT * (0.8 + 0.01 * chance.randrange(40)), 5), v))
    lines.append("input\tjitter\t" + " ".join(f"{t!r}:{v!r}" for t, v in close))
    for order in (1, 2, 3, 5):
        values = trapezoid(order, 5.0, close)
        cell = " ".join(f"{i}:{values[i]!r}" for i in range(0, len(values), 7))
        lines.append(f"{toml('butterworth', {'pass': 'low', 'order': order, 'cutoff': 5.0})}\tjitter\t{cell}")
    (FOLDER / "filters.tsv").write_text("\n".join(lines) + "\n")


WINDOWS = {  # Harris 1978; Heinzel, Rüdiger and Schilling 2002 (SR785).
    "rectangular": [1.0], "Hann": [0.5, 0.5], "Blackman-Harris": [0.35875, 0.48829, 0.14128, 0.01168],
    "flat top": [1.0, 1.93, 1.29, 0.388, 0.028],
}


def spectra():
    """Sums of products, without a fast transform: amplitude at each bin, density, the greatest value between bins, the delay
    and the correlation of two channels, statistics."""
    lines = []
    rate, count = 50.0, 400
    x = [5.0 + 2.0 * math.sin(2 * math.pi * 3.13 * i / rate + 0.4) + 0.3 * math.cos(2 * math.pi * 9.39 * i / rate)
         + chance.gauss(0, 0.05) for i in range(count)]
    y = [1.0 - 0.7 * math.sin(2 * math.pi * 3.13 * (i - 6.4) / rate + 0.4) + chance.gauss(0, 0.05) for i in range(count)]
    drift = [10.0 + 0.01 * i + chance.gauss(0, 2.0) + (3.0 if i > 150 else 0.0) for i in range(count)]
    for name, values in (("x", x), ("y", y), ("drift", drift)):
        lines.append(f"input\t{name}\t" + " ".join(repr(v) for v in values))
    mean = math.fsum(x) / count
    for name, factors in WINDOWS.items():
        for length in (128, 150, 400):
            w = [sum((-1) ** k * f * math.cos(2 * math.pi * k * i / length) for k, f in enumerate(factors)) for i in range(length)]
            half = length // 2
            parts = (count - length) // half + 1
            begins = [count - length - (parts - 1 - p) * half for p in range(parts)]
            gain, squares = math.fsum(w), math.fsum(v * v for v in w)

            def power(turns, w=w):
                total = 0.0
                for b in begins:
                    z = sum((x[b + i] - mean) * w[i] * cmath.exp(-2j * math.pi * turns * i) for i in range(length))
                    total += abs(z) ** 2
                return total / parts

            cells = []
            for k in range(0, length // 2 + 1, 5):
                sides = 1.0 if k == 0 or 2 * k == length else 2.0
                cells.append(f"{k}:{sides * math.sqrt(power(k / length)) / gain!r}")
            # Density at the third bin from the end, one-sided.
            k = length // 2 - 3
            density = math.sqrt(2 * power(k / length) / (rate * squares))
            top = max(range(3, length // 2), key=lambda k: power(k / length))
            low, high = (top - 1) / length, (top + 1) / length
            golden = (math.sqrt(5) - 1) / 2
            # A flat top does not tell where its middle is.
            sharp = w if name != "flat top" else [0.5 - 0.5 * math.cos(2 * math.pi * i / length) for i in range(length)]
            while high - low > 1e-8:
                a, b = high - golden * (high - low), low + golden * (high - low)
                if power(a, sharp) > power(b, sharp):
                    high = b
                else:
                    low = a
            peak = (low + high) / 2
            lines.append(f"spectrum\t{name} {length}\t{k}:{density!r} {peak * rate!r} {2 * math.sqrt(power(peak)) / gain!r} " + " ".join(cells))
    mx, my = math.fsum(x) / count, math.fsum(y) / count

    def correlation(lag):
        pairs = [(x[i] - mx, y[i + lag] - my) for i in range(count) if 0 <= i + lag < count]
        return math.fsum(a * b for a, b in pairs) / math.sqrt(math.fsum(a * a for a, _ in pairs) * math.fsum(b * b for _, b in pairs))

    lags = range(-count // 2, count // 2 + 1)
    # A wave repeats: of the delays that fit nearly as well as the best it is the nearest; upside down only if much nearer.
    known = {lag: correlation(lag) for lag in lags}
    largest = max(abs(value) for value in known.values())
    tops = [lag for lag in lags[1:-1] if abs(known[lag]) >= max(abs(known[lag - 1]), abs(known[lag + 1])) and abs(known[lag]) >= 0.9 * largest]
    upright, turned = ([abs(lag) for lag in tops if sign * known[lag] > 0] for sign in (1, -1))
    sign = -1 if 8 * min(turned, default=math.inf) < min(upright, default=math.inf) else 1
    best = min((lag for lag in tops if sign * known[lag] > 0), key=abs)
    before, here, after = (correlation(best + d) for d in (-1, 0, 1))
    shift = 0.5 * (before - after) / (before - 2 * here + after)
    lines.append(f"follows\tx y\t{(best + shift) / rate!r} {here!r}")
    for name, v in (("x", x), ("drift", drift)):
        n = len(v)
        m = math.fsum(v) / n
        t = [i / rate for i in range(n)]
        mt = math.fsum(t) / n
        slope = math.fsum((a - mt) * (b - m) for a, b in zip(t, v)) / math.fsum((a - mt) ** 2 for a in t)
        told = [m, median(v), math.sqrt(math.fsum((a - m) ** 2 for a in v) / (n - 1)), math.sqrt(math.fsum(a * a for a in v) / n),
                min(v), max(v), max(v) - min(v), slope]
        lines.append(f"statistics\t{name}\t" + " ".join(repr(v) for v in told))
    (FOLDER / "spectra.tsv").write_text("\n".join(lines) + "\n")


main()
spectra()
