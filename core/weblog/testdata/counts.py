"""Writes access.log.gz, a log of a web server over three days, and counts.json, what is in it.

It reads the log back by a regular expression made from the Combined Log Format as the Apache
documentation gives it, and counts by plain loops; it shares nothing with the program. The seed is
fixed: it writes the same again.
"""
import datetime
import gzip
import json
import random
import re

AGENTS = ["Mozilla/5.0 (X11; Linux x86_64) Firefox/128.0", "Mozilla/5.0 (iPhone) Safari/604.1", "Mozilla/5.0 \\\"quoted\\\" Edition", "ExampleBot/2.1 (+https://bot.example)", "curl/8.5.0", "-"]
LINE = re.compile(r'^(\S+) (\S+) (.+?) \[([^\]]+)\] "((?:[^"\\]|\\.)*)" (\d{3}) (\S+) "((?:[^"\\]|\\.)*)" "((?:[^"\\]|\\.)*)"$')


def write():
    random.seed(11)
    at = datetime.datetime(2026, 10, 24, 21, 0, tzinfo=datetime.timezone.utc)
    lines = []
    for i in range(6000):
        at += datetime.timedelta(seconds=random.randint(0, 60))
        host = random.choice(["203.0.113.%d" % random.randint(1, 4), "2001:db8::%x" % random.randint(1, 2), "198.51.100.7"])
        path = random.choice(["/site/web/%d-piece" % random.randint(1, 12)] * 6 + ["/", "/style.css", "/site/web/%d-piece/?from=letter" % random.randint(1, 12), "/site/web/m%C3%BCller"])
        status = random.choice([200] * 8 + [304, 404, 301, 500])
        method = random.choice(["GET"] * 9 + ["HEAD", "POST"])
        user = random.choice(["-", "-", "a reader"])
        zone = random.choice([0, 60, -300])
        local = at.astimezone(datetime.timezone(datetime.timedelta(minutes=zone)))
        lines.append('%s - %s [%s] "%s %s HTTP/1.1" %d %d "-" "%s"' % (host, user, local.strftime("%d/%b/%Y:%H:%M:%S %z"), method, path, status, random.randint(200, 90000), random.choice(AGENTS)))
        if i % 500 == 7:
            lines.append(random.choice(["\x00\x01\x02 rubbish", "no log at all", '203.0.113.1 - - [99/Foo/2026:00:00:00 +0000] "GET / HTTP/1.1" 200 1 "-" "x"', "x" * 40000]))
    with gzip.GzipFile("access.log.gz", "wb", mtime=0) as f:
        f.write(("\n".join(lines) + "\n").encode("latin-1"))


def read():
    pieces = {"/site/web/%d-piece" % i: i for i in range(1, 13)}
    pieces["/site/web/m\u00fcller"] = 99
    last, counts = {}, {}
    sums = dict(lines=0, broken=0, robots=0, ours=0, failed=0, again=0, other=0)
    from urllib.parse import unquote, urlsplit
    for line in gzip.open("access.log.gz", "rt", encoding="latin-1", newline="\n"):
        sums["lines"] += 1
        m = LINE.match(line.rstrip("\n")) if len(line) < 16384 else None
        try:
            when = datetime.datetime.strptime(m.group(4), "%d/%b/%Y:%H:%M:%S %z")
        except (AttributeError, ValueError):
            sums["broken"] += 1
            continue
        method, address, _ = m.group(5).split(" ")
        agent = m.group(9)
        if method != "GET" or m.group(6) not in ("200", "304"):
            sums["failed"] += 1
        elif agent == "-" or "bot" in agent.lower() or "curl" in agent.lower():
            sums["robots"] += 1
        elif m.group(1) == "198.51.100.7":
            sums["ours"] += 1
        else:
            path = unquote(urlsplit(address).path).rstrip("/")
            if path not in pieces:
                sums["other"] += 1
                continue
            key = (m.group(1), agent, pieces[path])
            new = key not in last or (when - last[key]).total_seconds() > 1800
            last[key] = when
            if not new:
                sums["again"] += 1
                continue
            day = when.astimezone(datetime.timezone.utc).date().isoformat()
            counts[day] = counts.get(day, {})
            counts[day][str(pieces[path])] = counts[day].get(str(pieces[path]), 0) + 1
    with open("counts.json", "w") as f:
        json.dump(dict(sums=sums, visits=counts), f, indent=1, sort_keys=True)
        f.write("\n")


if __name__ == "__main__":
    write()
    read()
