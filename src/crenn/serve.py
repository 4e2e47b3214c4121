"""Starts the application: database, worker, server; and ends them together."""

import fcntl
import os
import signal
import socket
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from crenn.api.app import create_app
from crenn.api.context import Settings, is_loopback, is_wildcard, served_names
from crenn.core.errors import CrennError
from crenn.demo import load_demo
from crenn.environment import log_level, secret
from crenn.jobs.process import WorkerProcess
from crenn.jobs.sweeping import put_in_order
from crenn.kernels import views
from crenn.log import log_to_stderr
from crenn.postgres import Cluster
from crenn.store.database import Database
from crenn.store.library import Library

PROJECT = Path(__file__).resolve().parents[2]
#: A message on a line from the page holds a treatment and a few numbers.
_LARGEST_MESSAGE = 2**20


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
    level, key = log_level(), secret()
    if not is_loopback(bind) and not key:
        raise CrennError(f"Listening on {bind} lets others in:", remedy="set CRENN_SECRET to a secret to sign in with.")
    listener = _listening_socket(bind, port)
    try:
        with only_one(data):
            log_to_stderr(level)
            _run(data, listener, demo, bind, roots, names, proxies, key)
    finally:
        listener.close()


def _run(
    data: Path,
    listener: socket.socket,
    demo: bool,
    bind: str,
    roots: Sequence[Path],
    names: Sequence[str],
    proxies: Sequence[str],
    key: str | None,
) -> None:
    # The server raises the signal that ended it once more; ours must then still get to end database and worker.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    library = Library(data / "library")
    cluster = Cluster(data / "postgres")
    worker = None
    try:
        database = Database(cluster.start())
        database.migrate()
        cluster.keep()
        put_in_order(database, library)
        worker = WorkerProcess(database.url, library.folder)
        worker.start()
        demo_folder = data / "demo"
        if demo:
            load_demo(database, demo_folder)
        allowed = [Path(r).resolve() for r in roots] + ([demo_folder.resolve()] if demo_folder.exists() else [])
        port = listener.getsockname()[1]
        settings = Settings(
            database,
            library,
            tuple(allowed),
            served_names(bind, port, names),
            is_wildcard(bind),
            key,
            trouble=cluster.trouble,
        )
        app = create_app(settings, PROJECT / "web" / "dist")
        app.state.renderers.thread.submit(views)
        config = uvicorn.Config(
            app,
            log_config=None,
            access_log=False,
            ws_max_size=_LARGEST_MESSAGE,
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
