"""Writes owed.json: what random agreements come to, by Python's fractions and decimal modules.

ROUND_HALF_EVEN and ROUND_HALF_UP are those of decimal; the seed is fixed.
"""
import json
import random
from decimal import Decimal, ROUND_HALF_EVEN, ROUND_HALF_UP, localcontext
from fractions import Fraction

random.seed(20)
out = []
for _ in range(3000):
    per = random.choice(["word", "piece", "hour"])
    rate, least = random.randint(1, 400_000), random.choice([0, 0, random.randint(1, 20_000)])
    most = random.choice([0, 0, least + random.randint(0, 40_000)])
    words, asked, beyond = random.randint(0, 4000), random.choice([0, 900, 1800]), random.randint(0, 3) == 0
    minutes, share, times = random.randint(0, 900), random.choice([100, 50, 33, 25]), random.randint(0, 2)
    rounding = random.choice(["even", "commercial"])
    n = Fraction(1)
    if per == "word":
        n = Fraction(words if beyond or not asked else min(words, asked))
    if per == "hour":
        n = Fraction(minutes, 60)
    f = max(Fraction(rate, 100) * n, Fraction(least))
    if most:
        f = min(f, Fraction(most))
    f = f * share * max(1, times) / 100
    with localcontext() as c:
        c.prec = 60
        q = (Decimal(f.numerator) / Decimal(f.denominator)).quantize(Decimal(1), ROUND_HALF_EVEN if rounding == "even" else ROUND_HALF_UP)
    out.append([per, rate, least, most, words, asked, int(beyond), minutes, share, times, rounding, int(q)])
with open("owed.json", "w") as f:
    f.write("[\n" + ",\n".join(json.dumps(x, separators=(",", ":")) for x in out) + "\n]\n")
