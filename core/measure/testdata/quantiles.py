"""Writes quantiles.json: quantiles of random values by Python's own statistics module.

statistics.quantiles with method "inclusive" is method 7 of Hyndman and Fan. The seed is fixed.
"""
import json
import random
import statistics

random.seed(3)
out = []
for n in [2, 3, 4, 5, 6, 7, 10, 19, 20, 101]:
    for kind in range(3):
        values = [round(random.gauss(100, 30), 2) if kind == 0 else random.randint(0, 9) if kind == 1 else round(random.expovariate(0.01), 3) for _ in range(n)]
        q = statistics.quantiles(values, n=20, method="inclusive")
        out.append(dict(values=values, twentieths=q, median=statistics.median(values)))
with open("quantiles.json", "w") as f:
    json.dump(out, f, separators=(",", ":"))
    f.write("\n")
