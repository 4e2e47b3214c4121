"""Starts the application: database, worker, server; and ends them together."""

import os
import secrets
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import uvicorn

from crenn.api.app import create_app
from crenn.api.context import Settings
from crenn.core.errors import CrennError
from crenn.jobs.queue import defer
from crenn.postgres import Cluster
from crenn.store.database import Database
from crenn.store.library import Library
from crenn.store.models import Shoot

PROJECT = Path(__file__).resolve().parents[2]
_LOOPBACK = {"127.0.0.1", "localhost", "::1"}
DEMO_SIZE = (3000, 2000)


class WorkerProcess:
    """A queue worker in a process of its own, started again if it dies."""

    def __init__(self, url: str, library: Path):
        self._environment = os.environ | {"CRENN_DATABASE": url, "CRENN_LIBRARY": str(library),
                                           "CRENN_PARENT": str(os.getpid())}
        self._stopping = threading.Event()
        self.process: subprocess.Popen | None = None
        self._watch = threading.Thread(target=self._keep, daemon=True)

    def start(self) -> None:
        self._begin()
        self._watch.start()

    def _begin(self) -> None:
        self.process = subprocess.Popen([sys.executable, "-m", "crenn", "worker"], env=self._environment,
                                        start_new_session=True)

    def _keep(self) -> None:
        while not self._stopping.wait(0.5):
            if self.process.poll() is not None:
                time.sleep(1.0)
                if not self._stopping.is_set():
                    self._begin()

    def stop(self) -> None:
        self._stopping.set()
        if self.process and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(4)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()


def warm_kernels() -> None:
    """Compile the kernels, or load them from the cache, before the first picture needs them."""
    import numpy as np

    from crenn.core.radiance import RadianceMap
    from crenn.core.render.executor import Renderer, Window
    from crenn.core.render.pyramid import PreparedScene
    from crenn.core.treatment import Treatment

    rgb = np.geomspace(0.001, 1, 32 * 32 * 3).astype(np.float32).reshape(32, 32, 3)
    renderer = Renderer(PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.1)))
    for bits in (8, 16):
        renderer.picture(Treatment(), Window(0, 0, 32, 32, 32, 32), bits)
    renderer.linear(Treatment(), Window(0, 0, 32, 32, 32, 32))


def _listening_socket(bind: str, port: int) -> socket.socket:
    listener = socket.socket(socket.AF_INET6 if ":" in bind else socket.AF_INET)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((bind, port))
        listener.listen(128)
    except (OSError, OverflowError) as fault:
        listener.close()
        raise CrennError(f"Port {port} on {bind} cannot be used: {getattr(fault, 'strerror', fault)}.",
                         remedy="Choose another with --port.") from fault
    return listener


def load_demo(database: Database, library: Library, folder: Path) -> None:
    """Shoot the Tarrowick demo once and bring it in."""
    from crenn.camera.scenes import SCENES
    from crenn.camera.shoot import scene_named, shoot

    with database.session() as session:
        if session.query(Shoot).first() is not None:
            return
        row = Shoot(name="Tarrowick")
        session.add(row)
        session.commit()
        shoot_id = row.id
    for name in SCENES:
        scene = scene_named(name)
        print(f"crenn: shooting {scene.title}", flush=True)
        shot = shoot(name, folder / name, DEMO_SIZE, truth=False)
        defer(database, "import", shoot_id=shoot_id, options={"files": [str(f) for f in shot.frames + shot.darks],
                                                              "title": scene.title})


def serve(data: Path | None, port: int, demo: bool = False, bind: str = "127.0.0.1", roots=()) -> None:
    """Start everything, serve until interrupted, end everything.

    Raises
    ------
    CrennError
        If the port is taken, the folder not writable or the database not to be started.
    """
    data = Path(data or PROJECT / "var").resolve()
    secret = os.environ.get("CRENN_SECRET")
    if bind not in _LOOPBACK and not secret:
        raise CrennError(f"Listening on {bind} lets others in:", remedy="set CRENN_SECRET to a secret to sign in with.")
    listener = _listening_socket(bind, port)
    try:
        data.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise CrennError(f"cannot be made: {fault.strerror}.", data, "Choose another folder with --data.") from fault
    # The server raises the signal that ended it once more; ours must then still get to end database and worker.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    library = Library(data / "library")
    cluster = Cluster(data / "postgres")
    worker = None
    try:
        database = Database(cluster.start())
        database.migrate()
        worker = WorkerProcess(database.url, library.folder)
        worker.start()
        demo_folder = data / "demo"
        if demo:
            demo_folder.mkdir(exist_ok=True)
            load_demo(database, library, demo_folder)
        allowed = [Path(r).resolve() for r in roots] + ([demo_folder.resolve()] if demo_folder.exists() else [])
        port = listener.getsockname()[1]
        names = {bind, "127.0.0.1", "localhost", "[::1]"} if bind in _LOOPBACK else {bind, socket.gethostname(), "localhost"}
        hosts = frozenset(f"{n}:{port}" for n in names) | (frozenset(names) if port == 80 else frozenset())
        settings = Settings(database, library, tuple(allowed), hosts, secret, secrets.token_urlsafe(32))
        app = create_app(settings, PROJECT / "web" / "dist")
        app.state.renderers.thread.submit(warm_kernels)
        config = uvicorn.Config(app, log_level="warning", ws_max_size=2**20, timeout_graceful_shutdown=2)
        server = uvicorn.Server(config)
        print(f"crenn: ready at http://{'localhost' if bind in _LOOPBACK else bind}:{port}/  (Ctrl-C ends it)", flush=True)
        server.run(sockets=[listener])
    except KeyboardInterrupt:
        pass
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)
        if worker is not None:
            worker.stop()
        cluster.stop()
        listener.close()
