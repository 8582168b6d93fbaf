#!/usr/bin/env python3
"""Writes crates/core/tests/references: formulas and scales with their values, worked out apart from the program.

The formulas are walked as trees in double precision, the steps of a scale in decimals of fifty digits, both from what the
guide says of them. Run it again only when a function or a step is added; the same seed gives the same files.
"""
import math
import random
from decimal import Decimal, getcontext
from pathlib import Path

getcontext().prec = 50
chance = random.Random(13)
FOLDER = Path(__file__).resolve().parent.parent / "crates/core/tests/references"


def finite(value):
    """The value, or None, a gap, where it is none or not finite."""
    if value is None or isinstance(value, complex) or not math.isfinite(value):
        return None
    return float(value)


# Formulas: (text, function of the row's values and memory).

ONE = {
    "abs": abs, "sqrt": math.sqrt, "exp": math.exp, "ln": math.log, "log10": math.log10, "log2": math.log2,
    "sin": math.sin, "cos": math.cos, "tan": math.tan, "asin": math.asin, "acos": math.acos, "atan": math.atan,
    "sinh": math.sinh, "cosh": math.cosh, "tanh": math.tanh, "deg": math.degrees, "rad": math.radians,
    "floor": math.floor, "ceil": math.ceil, "trunc": math.trunc,
    "round": lambda x: math.copysign(math.floor(abs(x) + 0.5), x), "cbrt": lambda x: math.copysign(abs(x) ** (1 / 3), x),
    "sign": lambda x: (x > 0) - (x < 0),
}
SIGNS = {
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": lambda a, b: a / b,
    "%": lambda a, b: a - b * math.floor(a / b), "^": lambda a, b: a ** b,
    "<": lambda a, b: float(a < b), "<=": lambda a, b: float(a <= b), ">": lambda a, b: float(a > b),
    ">=": lambda a, b: float(a >= b), "==": lambda a, b: float(a == b), "!=": lambda a, b: float(a != b),
    "and": lambda a, b: float(a != 0 and b != 0), "or": lambda a, b: float(a != 0 or b != 0),
}
TWO = {"atan2": math.atan2, "angle": lambda x, y: math.degrees(math.atan2(y, x))}
MANY = {"min": lambda *v: min(v), "max": lambda *v: max(v), "mean": lambda *v: sum(v) / len(v), "length": lambda *v: math.sqrt(sum(x * x for x in v))}
MEMORY = ["prev", "hold", "diff", "rate", "integral", "running_min", "running_max"]


class Node:
    def __init__(self, kind, name, parts):
        self.kind, self.name, self.parts, self.seen = kind, name, parts, []

    def text(self):
        p = [part.text() for part in self.parts]
        return {
            "number": lambda: str(self.name), "name": lambda: self.name, "sign": lambda: f"({p[0]} {self.name} {p[1]})",
            "call": lambda: f"{self.name}({', '.join(p)})", "minus": lambda: f"(-{p[0]})",
            "choice": lambda: f"({p[0]} ? {p[1]} : {p[2]})",
        }[self.kind]()

    def value(self, row, at):
        v = [part.value(row, at) for part in self.parts]
        try:
            return finite(self.unchecked(row, at, v))
        except (ValueError, ZeroDivisionError, OverflowError):
            return None

    def unchecked(self, row, at, v):
        if self.kind == "number":
            return float(self.name)
        if self.kind == "name":
            return row[self.name]
        if self.name == "ifgap":
            return v[1] if v[0] is None else v[0]
        if self.kind == "choice" or self.name == "if":
            return None if v[0] is None else v[1] if v[0] != 0 else v[2]
        if self.name in MEMORY:
            return self.remembered(v[0], at)
        if any(x is None for x in v):
            return None
        if self.kind == "minus":
            return -v[0]
        if self.kind == "sign":
            return SIGNS[self.name](*v)
        if self.name == "clamp":
            return min(max(v[0], v[1]), max(v[2], v[1]))
        return {**ONE, **TWO, **MANY}[self.name](*v)

    def remembered(self, x, at):
        """By definition, over all rows that had a value."""
        if x is None:
            return self.seen[-1][1] if self.name == "hold" and self.seen else None
        before = self.seen[-1] if self.seen else None
        self.seen.append((at, x))
        values = [value for _, value in self.seen]
        if self.name == "hold":
            return x
        if self.name == "running_min":
            return min(values)
        if self.name == "running_max":
            return max(values)
        if self.name == "integral":
            pairs = zip(self.seen, self.seen[1:])
            return sum((a[1] + b[1]) / 2 * (b[0] - a[0]) for a, b in pairs)
        if before is None:
            return None
        return {"prev": before[1], "diff": x - before[1], "rate": (x - before[1]) / (at - before[0])}[self.name]


def tree(depth):
    if depth == 0 or chance.random() < 0.15:
        if chance.random() < 0.7:
            return Node("name", chance.choice("abc"), [])
        return Node("number", chance.choice([0, 1, 2, 0.5, 3.25, 10, 100]), [])
    part = lambda: tree(depth - 1)
    pick = chance.random()
    if pick < 0.35:
        return Node("sign", chance.choice(list(SIGNS)), [part(), part()])
    if pick < 0.55:
        return Node("call", chance.choice(list(ONE)), [part()])
    if pick < 0.75:
        return Node("call", chance.choice(MEMORY), [part()])
    if pick < 0.85:
        return Node("call", chance.choice(list(MANY)), [part() for _ in range(chance.randint(1, 3))])
    if pick < 0.90:
        return Node("call", chance.choice(["if", "clamp"]), [part(), part(), part()])
    if pick < 0.94:
        return Node("call", chance.choice(["ifgap", "atan2", "angle"]), [part(), part()])
    return Node("choice", "", [part(), part(), part()]) if pick < 0.97 else Node("minus", "", [part()])


def rows():
    at, out = 0.0, []
    for _ in range(10):
        row = {name: chance.choice([None, 0.0, round(chance.uniform(-9, 9), 3), round(chance.uniform(-9, 9), 3),
                                    round(chance.uniform(-9, 9), 3)]) for name in "abc"}
        out.append((at, row))
        at = round(at + chance.choice([0.01, 0.25, 0.5, 2.0]), 2)
    return out


def spelled(value):
    return "gap" if value is None else repr(float(value))


def values(node, given, scale=1.0):
    forget(node)
    return [node.value({n: x if x is None else x * scale for n, x in row.items()}, at) for at, row in given]


def forget(node):
    node.seen = []
    for part in node.parts:
        forget(part)


def is_steady(node, given):
    """Whether a change in the thirteenth digit leaves the values what they are: else their last digits decide."""
    for a, b in zip(values(node, given), values(node, given, 1 + 1e-13)):
        if (a is None) != (b is None) or a is not None and abs(a - b) > 1e-9 * max(abs(a), 1e-6):
            return False
    return True


def formulas(count):
    lines = []
    while len(lines) < count:
        node, given = tree(chance.randint(1, 4)), rows()
        if len(node.text()) > 160 or not is_steady(node, given):
            continue
        out = values(node, given)
        cells = [" ".join([str(at)] + [spelled(row[n]) for n in "abc"] + [spelled(y)]) for (at, row), y in zip(given, out)]
        lines.append("\t".join([node.text()] + cells))
    return lines


# Scales: each step as (its table in a bench file, its function in Decimal).

def d(low, high, places=3):
    return Decimal(str(round(chance.uniform(low, high), places)))


def converter():
    bits, volts, top = chance.choice([None, 8, 10, 12, 16, 24]), d(0.5, 12), chance.random() < 0.3
    text = f"kind = 'converter', reference = {volts}" + (f", bits = {bits}" if bits else "")
    codes = Decimal(1) if bits is None else Decimal(2) ** bits - (1 if top else 0)
    return text + (", top_is_reference = true" if top else ""), lambda x, _: x * volts / codes, volts


def divider():
    fixed, supply, high = d(50, 90000, 0), chance.choice([None, d(1, 12)]), chance.random() < 0.5
    back = chance.random() < 0.3
    text = f"kind = 'divider', fixed = {fixed}" + (f", supply = {supply}" if supply else "")
    text += (", sensor_at_supply = true" if high else "") + (", ohms_to_volts = true" if back else "")

    def apply(x, reference):
        rail = supply or reference
        if rail is None:
            return None
        if back:
            return rail * (fixed if high else x) / (fixed + x)
        # The same current flows through both: what drops over the sensor to what drops over the fixed one.
        over_sensor, over_fixed = (rail - x, x) if high else (x, rail - x)
        if over_fixed == 0 or over_sensor / over_fixed < 0:
            return None
        return fixed * over_sensor / over_fixed
    return text, apply, None


def table():
    xs, ys = sorted({d(-9, 9, 2) for _ in range(chance.randint(2, 6))} | {Decimal(-10), Decimal(10)}), []
    ys = [d(-50, 50) for _ in xs]
    text = "kind = 'table', points = [" + ", ".join(f"[{x:.2f}, {y:.3f}]" for x, y in zip(xs, ys)) + "]"

    def apply(x, _):
        at = max(i for i in range(len(xs) - 1) if i == 0 or xs[i] <= x)
        return ys[at] + (x - xs[at]) * (ys[at + 1] - ys[at]) / (xs[at + 1] - xs[at])
    return text, apply, None


def polynomial():
    terms = [d(-5, 5) for _ in range(chance.randint(1, 5))]
    text = "kind = 'polynomial', terms = [" + ", ".join(f"{term:.3f}" for term in terms) + "]"
    return text, lambda x, _: sum(term * (x ** i if i else 1) for i, term in enumerate(terms)), None


def thermistor():
    ohms, celsius, beta = d(100, 50000, 0), d(-20, 60, 1), d(2000, 5000, 0)
    kelvin = Decimal("273.15")
    text = f"kind = 'thermistor', ohms = {ohms}, celsius = {celsius}, beta = {beta}"
    def apply(x, _):
        return None if x <= 0 else 1 / (1 / (celsius + kelvin) + (x / ohms).ln() / beta) - kelvin
    return text, apply, None


def steinhart():
    a, b, c = d(5e-4, 2e-3, 7), d(1e-4, 3e-4, 8), d(5e-8, 2e-7, 10)
    text = f"kind = 'steinhart', a = {a:.12f}, b = {b:.12f}, c = {c:.12f}"
    def apply(x, _):
        return None if x <= 0 else 1 / (a + b * x.ln() + c * x.ln() ** 3) - Decimal("273.15")
    return text, apply, None


def simple():
    x, y, z = d(-9, 9), d(0.1, 9), d(-9, 9)
    u, v = sorted([d(-9, 9), d(-9, 9)])
    places = chance.randint(0, 3)
    half = lambda n: n.quantize(Decimal(1).scaleb(-places), rounding="ROUND_HALF_UP")
    return chance.choice([
        (f"kind = 'offset', subtract = {x}", lambda n, _: n - x, None),
        (f"kind = 'gain', factor = {y}", lambda n, _: n * y, None),
        (f"kind = 'sensitivity', divisor = {y}", lambda n, _: n / y, None),
        (f"kind = 'zero', subtract = {z}", lambda n, _: n - z, None),
        ("kind = 'sign'", lambda n, _: -n, None),
        ("kind = 'absolute'", lambda n, _: abs(n), None),
        (f"kind = 'clamp', min = {u}, max = {v}", lambda n, _: min(max(n, u), v), None),
        (f"kind = 'decimals', places = {places}", lambda n, _: half(n), None),
        (f"kind = 'range', from = [{x}, {x + y}], to = [{u}, {v}]", lambda n, _: u + (n - x) / y * (v - u), None),
    ])


def scales(count):
    lines = []
    while len(lines) < count:
        steps, sample = [], lambda: d(-9, 9)
        if chance.random() < 0.6:
            first = converter()
            steps.append(first)
            bits = first[0].partition("bits = ")[2].partition(",")[0]
            sample = lambda: d(0, 1, 4) if not bits else Decimal(chance.randint(0, 2 ** int(bits) - 1))
            if chance.random() < 0.5:
                steps.append(divider())
                if "ohms_to_volts" not in steps[-1][0] and chance.random() < 0.7:
                    steps.append(chance.choice([thermistor, steinhart])())
        elif chance.random() < 0.3:
            steps.append(chance.choice([thermistor, steinhart, divider])())
            sample = lambda: d(1, 90000, 0)
        for _ in range(chance.randint(0, 3)):
            steps.append(chance.choice([simple, simple, table, polynomial])())
        reference = steps[0][2] if steps and steps[0][2] else None
        for _ in range(3):
            raw = x = sample()
            for _, apply, _ in steps:
                x = None if x is None else apply(x, reference)
            if x is not None and abs(x) > Decimal("1e15"):
                continue
            lines.append("\t".join(["[" + ", ".join("{ " + text + " }" for text, _, _ in steps) + "]", str(raw), spelled(x)]))
    return lines[:count]


FOLDER.mkdir(exist_ok=True)
(FOLDER / "formulas.tsv").write_text("\n".join(formulas(250)) + "\n")
(FOLDER / "scales.tsv").write_text("\n".join(scales(500)) + "\n")
