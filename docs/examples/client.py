"""Stacks the pictures of a folder and saves the result: client.py ADDRESS FOLDER FILE"""

import json
import sys
import urllib.error
import urllib.request

address, folder, file = sys.argv[1:]


def ask(method, path, body=None):
    request = urllib.request.Request(f"{address}/api{path}", method=method)
    if body is not None:
        request.data = json.dumps(body).encode()
        request.add_header("Content-Type", "application/json")
    try:
        with urllib.request.urlopen(request) as answer:
            return json.loads(answer.read() or "null")
    except urllib.error.HTTPError as refusal:
        sys.exit(json.load(refusal)["detail"])


def carry_out(path, body=None):
    """Begins a job and waits until it is done."""
    # The stream is open before the job begins, so that its end is not missed.
    with urllib.request.urlopen(f"{address}/api/events") as stream:
        job = ask("POST", path, body)
        events = (json.loads(line[5:]) for line in stream if line.startswith(b"data:"))
        while job["state"] in ("queued", "running"):
            event = next(events)
            if event["type"] == "job" and event["job"]["id"] == job["id"]:
                job = event["job"]
    if job["state"] != "done":
        sys.exit(job["problem"] or job["state"])
    return job


shoot = ask("POST", "/shoots", {"name": "From a script", "kind": "night-sky"})["id"]
for added in ask("POST", f"/shoots/{shoot}/folder", {"path": folder, "role": "light"}):
    print(f"{added['name']}: {added['problem'] or 'added'}")
run = carry_out(f"/shoots/{shoot}/runs")
carry_out(f"/results/{run['result_id']}/exports", {"format": "tiff16"})
saved = ask("GET", f"/shoots/{shoot}")["results"][0]["exports"][0]
urllib.request.urlretrieve(f"{address}/api/exports/{saved['id']}/file", file)
print(f"{file}: saved")
