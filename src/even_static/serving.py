"""Serving the application on this computer, or to the phones of this network."""

from __future__ import annotations

import errno
import logging
import socket
import threading
import webbrowser
from typing import TYPE_CHECKING

from even_static import __version__

if TYPE_CHECKING:
    from even_static.store.calls import Store

LISTEN_BACKLOG = 256


def serve_store(store: Store, port: int, clock_speed: float, open_page: bool, shared: bool) -> None:
    import uvicorn

    from even_static.api.app import create_app
    from even_static.api.door import IDLE_S, OnceInAWhile, protocol_of
    from even_static.api.share import Share, own_hosts
    from even_static.core.errors import BadInput

    share = Share(own_hosts()) if shared else None
    host = "0.0.0.0" if shared else "127.0.0.1"
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as listener:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
        except (OSError, OverflowError) as error:
            rule = "must be free: another program has it, perhaps another Even Static"
            if not isinstance(error, OSError) or error.errno != errno.EADDRINUSE:
                rule = f"must be one that can be listened on ({getattr(error, 'strerror', None) or error})"
            raise BadInput("port", rule, port, "--port 0 takes a free one") from None
        # From here on a browser that comes early waits, instead of being told that nobody is there.
        listener.listen(LISTEN_BACKLOG)
        taken = listener.getsockname()[1]
        address = f"http://127.0.0.1:{taken}/"
        print(f"Even Static {__version__} is at {address}  (Ctrl+C ends it)", flush=True)
        if share is not None:
            share.port = taken
            where = "  ".join(share.addresses) or "no network found"
            print(f"Shared on this network until it ends: {where}", flush=True)
            print("Open a call and press Phone: it shows the code that pairs a phone to it.", flush=True)
        if open_page:
            threading.Timer(0.8, webbrowser.open, (address,)).start()
        config = uvicorn.Config(
            create_app(store, clock_speed=clock_speed, share=share),
            log_level="warning",
            access_log=False,
            proxy_headers=False,
            http=protocol_of(),
            timeout_keep_alive=IDLE_S,
            timeout_graceful_shutdown=3,
        )
        for name in ("uvicorn.error", "even_static"):
            logging.getLogger(name).addFilter(OnceInAWhile())
        uvicorn.Server(config).run(sockets=[listener])
