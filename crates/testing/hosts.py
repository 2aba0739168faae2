"""A cluster for tests whose workers live on hosts of their own: one network namespace each, joined by a bridge.

    hosts.py SAIL PORT FOLDER

SAIL is the engine's program (pysail 0.7). It starts its workers through the interface of Kubernetes; what is needed of that
interface is answered here, and a worker that is asked for becomes a process in a namespace of its own, or a plain process where
namespaces may not be made. FOLDER/workers has a line for each worker, its process number and its address, so that a test can kill
one. All ends with this program.
"""

import atexit
import http.server
import json
import os
import signal
import subprocess
import sys
import threading
import uuid

SAIL, PORT, FOLDER = sys.argv[1], sys.argv[2], sys.argv[3]
BRIDGE = "vembra0"
GATE = "10.77.0.1"
lock = threading.Lock()
workers = {}  # name of the pod -> (process, address, namespace or None)


def run(*command):
    return subprocess.run(command, stderr=subprocess.DEVNULL, check=False).returncode == 0


def bridge():
    """Whether hosts can be made here."""
    run("ip", "link", "del", BRIDGE)
    return (
        run("ip", "link", "add", BRIDGE, "type", "bridge")
        and run("ip", "addr", "add", f"{GATE}/24", "dev", BRIDGE)
        and run("ip", "link", "set", BRIDGE, "up")
    )


def host(number):
    """A namespace with an address of its own."""
    name, address, end = f"vembra{number}", f"10.77.0.{10 + number}", f"vembra{number}h"
    run("ip", "netns", "del", name)
    inside = ["ip", "netns", "exec", name, "ip"]
    for command in (
        ["ip", "netns", "add", name],
        ["ip", "link", "add", end, "type", "veth", "peer", "name", "eth0", "netns", name],
        ["ip", "link", "set", end, "master", BRIDGE, "up"],
        inside + ["link", "set", "lo", "up"],
        inside + ["addr", "add", f"{address}/24", "dev", "eth0"],
        inside + ["link", "set", "eth0", "up"],
    ):
        if not run(*command):
            raise RuntimeError(f"this did not work: {' '.join(command)}")
    return name, address


def start(pod):
    spec = pod["spec"]["containers"][0]
    with lock:
        number = len(workers) + 1
        namespace, address = host(number) if HOSTS else (None, "127.0.0.1")
        settings = {e["name"]: e.get("value", address) for e in spec["env"]}
        within = ["ip", "netns", "exec", namespace] if namespace else []
        log = open(f"{FOLDER}/worker{number}.log", "w")
        process = subprocess.Popen(
            within + [SAIL, *spec["args"]], env=os.environ | settings, stdout=log, stderr=log
        )
        workers[pod["metadata"]["name"]] = (process, address, namespace)
        with open(f"{FOLDER}/workers", "a") as file:
            file.write(f"{process.pid} {address}\n")


class Pods(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def tell(self, status, what):
        body = json.dumps(what).encode()
        self.send_response(status)
        self.send_header("content-type", "application/json")
        self.send_header("content-length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def do_POST(self):
        pod = json.loads(self.rfile.read(int(self.headers["content-length"])))
        start(pod)
        self.tell(201, pod)

    def do_GET(self):
        name = self.path.rsplit("/", 1)[1]
        self.tell(200, {"apiVersion": "v1", "kind": "Pod", "metadata": {"name": name, "uid": str(uuid.uuid4())}})

    def do_DELETE(self):
        name = self.path.split("?")[0].rsplit("/", 1)[1]
        for known, (process, _, _) in workers.items():
            if name in (known, "pods"):
                process.kill()
        self.tell(200, {"apiVersion": "v1", "kind": "Status", "status": "Success"})

    def log_message(self, *_):
        pass


def end():
    for process, _, namespace in workers.values():
        process.kill()
        if namespace:
            run("ip", "netns", "del", namespace)
    if HOSTS:
        run("ip", "link", "del", BRIDGE)


os.makedirs(FOLDER, exist_ok=True)
open(f"{FOLDER}/workers", "w").close()
HOSTS = bridge()
print("workers are on hosts of their own" if HOSTS else "no namespaces here: workers are plain processes", flush=True)
atexit.register(end)
signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
pods = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Pods)
threading.Thread(target=pods.serve_forever, daemon=True).start()
with open(f"{FOLDER}/kubeconfig", "w") as file:
    json.dump(
        {
            "apiVersion": "v1",
            "kind": "Config",
            "clusters": [{"name": "c", "cluster": {"server": f"http://127.0.0.1:{pods.server_port}"}}],
            "contexts": [{"name": "c", "context": {"cluster": "c", "user": "u", "namespace": "default"}}],
            "users": [{"name": "u", "user": {}}],
            "current-context": "c",
        },
        file,
    )
settings = {
    "KUBECONFIG": f"{FOLDER}/kubeconfig",
    "SAIL_MODE": "kubernetes-cluster",
    "SAIL_KUBERNETES__DRIVER_POD_NAME": "driver",
    "SAIL_CLUSTER__DRIVER_LISTEN_HOST": "0.0.0.0",
    "SAIL_CLUSTER__DRIVER_EXTERNAL_HOST": GATE if HOSTS else "127.0.0.1",
    # A worker that is lost is missed soon, and one that nobody asks stays for the whole test.
    "SAIL_CLUSTER__WORKER_HEARTBEAT_INTERVAL_SECS": "1",
    "SAIL_CLUSTER__WORKER_HEARTBEAT_TIMEOUT_SECS": "10",
    "SAIL_CLUSTER__WORKER_MAX_IDLE_TIME_SECS": "3600",
    "SAIL_EXECUTION__DEFAULT_PARALLELISM": "4",
}
driver = subprocess.Popen([SAIL, "flight", "server", "--port", PORT], env=settings | dict(os.environ))
atexit.register(driver.kill)
sys.exit(driver.wait())
