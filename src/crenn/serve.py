"""Starts the application: database, worker, server; and ends them together."""

import fcntl
import logging
import os
import signal
import socket
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import uvicorn

from crenn.api.app import create_app
from crenn.api.context import Settings, is_loopback, is_wildcard, served_names
from crenn.api.limits import MAX_JSON_BYTES
from crenn.core.errors import CrennError
from crenn.demo import load_demo
from crenn.environment import log_level, secret, worker_token
from crenn.jobs.process import WorkerProcess
from crenn.jobs.recovery import Sweeper, recover_on_start
from crenn.kernels import Compilation, first
from crenn.log import log_to_stderr
from crenn.postgres import Cluster
from crenn.store.database import Database
from crenn.store.library import Library

PROJECT = Path(__file__).resolve().parents[2]
_log = logging.getLogger(__name__)


def _listening_socket(bind: str, port: int) -> socket.socket:
    listener = socket.socket(socket.AF_INET6 if ":" in bind else socket.AF_INET)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((bind, port))
        listener.listen(128)
    except (OSError, OverflowError) as fault:
        listener.close()
        raise CrennError(
            f"Port {port} on {bind} cannot be used: {getattr(fault, 'strerror', fault)}.",
            remedy="Choose another with --port.",
        ) from fault
    return listener


@contextmanager
def only_one(data: Path) -> Iterator[None]:
    """Hold the data folder for this process alone.

    Raises
    ------
    CrennError
        If the folder cannot be written to, or another process has it; it is named.
    """
    try:
        data.mkdir(parents=True, exist_ok=True)
        file = (data / "lock").open("a+")
    except OSError as fault:
        raise CrennError(f"cannot be made: {fault.strerror}.", data, "Choose another folder with --data.") from fault
    with file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            raise CrennError(
                f"is in use by process {file.read().strip() or 'unknown'}:",
                data,
                "open that one's address, end it, or choose another folder with --data.",
            ) from None
        file.truncate(0)
        file.write(str(os.getpid()))
        file.flush()
        # The lock goes with the process, however it ends.
        yield


def serve(
    data: Path | None,
    port: int,
    demo: bool = False,
    bind: str = "127.0.0.1",
    roots: Sequence[Path] = (),
    names: Sequence[str] = (),
    proxies: Sequence[str] = (),
) -> None:
    """Start everything, serve until interrupted, end everything.

    Parameters
    ----------
    data : Path, optional
        Folder of the database and the library; ``var`` by default.
    port : int
    demo : bool
        Whether to load the demo.
    bind : str
        Address to listen on.
    roots : sequence of Path
        Folders that frames may be brought in from.
    names : sequence of str
        Names of hosts, besides the machine's own addresses, under which it is reached.
    proxies : sequence of str
        Addresses of proxies whose word on the scheme and the client's address is believed.

    Raises
    ------
    CrennError
        If the port is taken, the folder not writable or in use, a setting wrong or the database not to be started.
    """
    data = Path(data or PROJECT / "var").resolve()
    for root in roots:
        if not Path(root).is_dir():
            raise CrennError("is no folder;", root, "give --root a folder that there is.")
    level, key, token = log_level(), secret(), worker_token()
    if not is_loopback(bind) and not key:
        raise CrennError(f"Listening on {bind} lets others in:", remedy="set CRENN_SECRET to a secret to sign in with.")
    listener = _listening_socket(bind, port)
    try:
        with only_one(data):
            log_to_stderr(level)
            _run(data, listener, demo, bind, roots, names, proxies, key, token)
    finally:
        listener.close()


def _still_compiling(kernels: Compilation) -> str | None:
    """What a page is told while kernels are compiled; None once they are."""
    if kernels.done:
        return None
    return (
        f"Crenn compiles its computations for this machine, once, {kernels.share:.0%} so far: "
        "what is brought in waits for it a minute or two."
    )


def _moved(database: Database, worker: WorkerProcess, url: str) -> None:
    """Let application and worker find the database where it is now."""
    database.move(url)
    worker.move(url)


def _work_when_ready(kernels: Compilation, worker: WorkerProcess) -> None:
    """Start the worker once the kernels of merging are compiled."""
    kernels.wait("brackets")
    worker.start()


def _load_demo_when_ready(kernels: Compilation, database: Database, folder: Path) -> None:
    """Shoot the demo once the simulated camera's kernels are compiled."""
    kernels.wait("camera")
    try:
        load_demo(database, folder, lambda: kernels.wait("brackets"))
    except CrennError as fault:
        _log.error("the demo cannot be loaded", extra={"fault": str(fault)})


def _run(
    data: Path,
    listener: socket.socket,
    demo: bool,
    bind: str,
    roots: Sequence[Path],
    names: Sequence[str],
    proxies: Sequence[str],
    key: str | None,
    token: str | None,
) -> None:
    # The server raises the signal that ended it once more; ours must then still get to end database and worker.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    library = Library(data / "library")
    cluster = Cluster(data / "postgres")
    # What the first picture needs is compiled by the threads that render, as they start.
    kernels = Compilation(but=("first",)).start()
    worker = None
    try:
        database = Database(cluster.start())
        database.migrate()
        worker = WorkerProcess(database.url, library.folder)
        cluster.keep(partial(_moved, database, worker))
        recover_on_start(database, library)
        Sweeper(database, library).start()
        demo_folder = data / "demo"
        demo_folder.mkdir(exist_ok=True)
        # The page is there at once; what needs kernels begins when they are compiled.
        preparing = [threading.Thread(target=_work_when_ready, args=(kernels, worker), daemon=True)]
        if demo:
            arguments = (kernels, database, demo_folder)
            preparing.append(threading.Thread(target=_load_demo_when_ready, args=arguments, daemon=True))
        for thread in preparing:
            thread.start()
        allowed = [Path(r).resolve() for r in roots] + ([demo_folder.resolve()] if demo_folder.exists() else [])
        port = listener.getsockname()[1]
        settings = Settings(
            database,
            library,
            tuple(allowed),
            served_names(bind, port, names),
            is_wildcard(bind),
            key,
            token,
            trouble=lambda: cluster.trouble() or _still_compiling(kernels),
        )
        app = create_app(settings, PROJECT / "web" / "dist")
        app.state.renderers.submit(None, first)
        if not demo and not any(demo_folder.iterdir()):
            demo_folder.rmdir()
        config = uvicorn.Config(
            app,
            log_config=None,
            access_log=False,
            ws_max_size=MAX_JSON_BYTES,
            # Pictures are compressed as they are; doing it again took an eighth of a busy server.
            ws_per_message_deflate=False,
            timeout_graceful_shutdown=2,
            proxy_headers=bool(proxies),
            forwarded_allow_ips=list(proxies),
            server_header=False,
        )
        server = uvicorn.Server(config)
        print(
            f"crenn: ready at http://{'localhost' if is_loopback(bind) else bind}:{port}/  (Ctrl-C ends it)", flush=True
        )
        server.run(sockets=[listener])
    except KeyboardInterrupt:
        pass
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)
        if worker is not None:
            worker.stop()
        cluster.stop()
