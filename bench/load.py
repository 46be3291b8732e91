"""``make load``: 20 writers and 50 open screens for a minute; exits 1 where an answer fails or an entry is lost.

Bounded: SECONDS, WRITERS and SCREENS are all there is. What was acknowledged is looked for in the log afterwards.
"""

import collections
import http.client
import json
import os
import re
import sqlite3
import statistics
import sys
import threading
import time
import uuid
from urllib.parse import urlencode, urlsplit

from served import served

SECONDS = float(os.environ.get("ESCUADRA_LOAD_SECONDS", "60"))
WRITERS, SCREENS = 20, 50


def main() -> int:
    """Load it, count, look whether anything was lost."""
    answers: collections.Counter[int] = collections.Counter()
    acknowledged: list[str] = []
    heard: collections.Counter[str] = collections.Counter()
    times: list[float] = []
    slowest = [0.0]
    guard, over = threading.Lock(), threading.Event()
    with served("demo") as (address, data):
        host = urlsplit(address).netloc
        token = re.search(r"escuadra_token=([0-9a-f]{32})", _get(host, "/")[1])
        assert token
        cookies = f"escuadra_token={token[1]}; escuadra_person="
        jobs = [job["id"] for job in json.loads(_get(host, "/api/jobs")[2])["jobs"] if job["state"] != "signed"]

        def write(k: int) -> None:
            person = ("teo", "amara", "nuno", "ines")[k % 4]
            headers = {"Cookie": cookies + person, "Content-Type": "application/x-www-form-urlencoded"}
            link = http.client.HTTPConnection(host, timeout=60)
            n = 0
            while not over.is_set():
                n += 1
                entry, corner = uuid.uuid4().hex, ("LF", "RF", "LR", "RR")[n % 4]
                fields = {"token": token[1], "entry": entry, "check": "ride_height", "slot": f"arch.{corner}"}
                fields |= {"typed": f"{700 + n % 20}.5", "tool": "tape-4", "replaces": "yes", "understood": "712 mm"}
                begun = time.monotonic()
                try:
                    link.request("POST", f"/jobs/{jobs[k % len(jobs)]}/readings", urlencode(fields), headers)
                    answer = link.getresponse()
                    answer.read()
                    status = answer.status
                except OSError:
                    status, link = 0, http.client.HTTPConnection(host, timeout=60)
                took = time.monotonic() - begun
                with guard:
                    answers[status] += 1
                    times.append(took)
                    if status == 303:
                        acknowledged.append(entry)

        def watch(k: int) -> None:
            job = jobs[k % len(jobs)]
            link = http.client.HTTPConnection(host, timeout=1)
            try:
                link.request("GET", f"/jobs/{job}/changes", headers={"Cookie": cookies + "teo"})
                stream = link.getresponse()
                with guard:
                    answers[stream.status] += 1
                while not over.is_set():
                    try:
                        if stream.readline().startswith(b"data"):
                            with guard:
                                heard[job] += 1
                    except TimeoutError:
                        break
            except OSError:
                pass
            finally:
                link.close()
            if not over.is_set():
                watch(k)

        threads = [threading.Thread(target=watch, args=(k,), daemon=True) for k in range(SCREENS)]
        threads += [threading.Thread(target=write, args=(k,), daemon=True) for k in range(WRITERS)]
        for thread in threads:
            thread.start()
        time.sleep(SECONDS)
        over.set()
        for thread in threads[SCREENS:]:
            thread.join(90)
        slowest[0] = max(times, default=0.0)
        with sqlite3.connect(data / "escuadra.sqlite") as database:
            kept = {id for (id,) in database.execute("SELECT id FROM entry")}
        status = _get(host, "/")[0]
    lost = [entry for entry in acknowledged if entry not in kept]
    failed = {code: count for code, count in answers.items() if code >= 500 or code == 0}
    print(f"{WRITERS} writers, {SCREENS} screens, {SECONDS:.0f} s: {len(acknowledged)} entries, {heard.total()} told")
    print(f"median {statistics.median(times):.3f} s, slowest {slowest[0]:.2f} s; answers {dict(answers)}; day {status}")
    print(f"lost {len(lost)}, failed {failed}")
    return 1 if lost or failed or status != 200 or not acknowledged else 0


def _get(host: str, path: str) -> tuple[int, str, bytes]:
    link = http.client.HTTPConnection(host, timeout=60)
    link.request("GET", path, headers={"Cookie": "escuadra_person=teo"})
    answer = link.getresponse()
    return answer.status, answer.getheader("Set-Cookie") or "", answer.read()


if __name__ == "__main__":
    sys.exit(main())
