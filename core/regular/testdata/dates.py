"""Writes dateutil.json.gz: 400 rules and their days, as python-dateutil works them out.

Run with python3 and python-dateutil 2.9.0; the seed is fixed, so it writes the same again.
"""
import gzip
import json
import random
from datetime import date, datetime, timedelta

from dateutil.rrule import rrulestr

CODES = ["SU", "MO", "TU", "WE", "TH", "FR", "SA"]


def rule(kind, every, days, dom, short, nth, weekday):
    step = "" if every == 1 else ";INTERVAL=%d" % every
    if kind == "weekly":
        return "FREQ=WEEKLY" + step + ";WKST=MO;BYDAY=" + ",".join(days)
    if kind == "monthly" and dom > 28 and not short:
        return "FREQ=MONTHLY" + step + ";BYMONTHDAY=" + ",".join(map(str, range(28, dom + 1))) + ";BYSETPOS=-1"
    if kind == "monthly":
        return "FREQ=MONTHLY" + step + ";BYMONTHDAY=%d" % dom
    if kind == "nth":
        return "FREQ=MONTHLY" + step + ";BYDAY=%d%s" % (nth, weekday)
    return "FREQ=MONTHLY" + step + ";BYMONTHDAY=-1"


def main():
    random.seed(7)
    out = []
    for _ in range(400):
        kind = random.choice(["weekly", "monthly", "nth", "last day"])
        every = random.choice([1, 1, 1, 2, 2, 3, 4, 6, 12])
        days = sorted(random.sample(CODES, random.randint(1, 4)), key=lambda x: (CODES.index(x) + 6) % 7)
        dom = random.choice([1, 7, 15, 28, 29, 30, 31, 31])
        short = random.random() < 0.4
        nth = random.choice([1, 2, 3, 4, -1])
        weekday = random.choice(CODES)
        first = date(random.randint(2015, 2040), random.randint(1, 12), random.randint(1, 28))
        last = first + timedelta(days=random.randint(200, 1800))
        start = datetime(first.year, first.month, first.day)
        end = datetime(last.year, last.month, last.day)
        found = rrulestr(rule(kind, every, days, dom, short, nth, weekday), dtstart=start).between(start, end, inc=True)
        out.append(dict(Kind=kind, Every=every, Days=days, Day=dom, Short="left out" if short else "", Nth=nth, Weekday=CODES.index(weekday),
                        From=first.isoformat(), To=last.isoformat(), Dates=[d.date().isoformat() for d in found]))
    with gzip.GzipFile("dateutil.json.gz", "wb", mtime=0) as f:
        f.write(json.dumps(out, separators=(",", ":")).encode())


if __name__ == "__main__":
    main()
