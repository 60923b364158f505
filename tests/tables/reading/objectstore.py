"""A stand-in for an object store: as much of the S3 protocol as reading asks for, over a folder, which can be told to be busy or to fail."""

import contextlib
import threading
import time
import urllib.parse
from email.utils import formatdate
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from xml.sax.saxutils import escape


class Store:
    """The folder, what was asked, how often it still answers that it is busy, and whom it knows."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.asked, self.busy, self.known = folder, [], 0, None


def _handler(store):
    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def log_message(self, *_):
            pass

        def _answer(self, code, body=b"", headers=(), *, bare=False):
            self.send_response(code)
            for name, value in headers:
                self.send_header(name, value)
            if not bare:
                self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            if self.command != "HEAD":
                self.wfile.write(body)

        def _refused(self, code, name):
            self._answer(
                code,
                f"<Error><Code>{name}</Code><Message>{name}</Message></Error>".encode(),
                [("Content-Type", "application/xml")],
            )

        def do_GET(self):
            place = urllib.parse.urlsplit(self.path)
            query = dict(urllib.parse.parse_qsl(place.query))
            key = urllib.parse.unquote(place.path).strip("/")
            store.asked.append((self.command, key, self.headers.get("Range")))
            if store.busy:
                store.busy -= 1
                self._refused(503, "SlowDown")
                return
            if store.known is not None and f"Credential={store.known}/" not in self.headers.get("Authorization", ""):
                self._refused(403, "AccessDenied")
                return
            path = store.folder / key
            if query.get("list-type") == "2":
                self._listed(key, query)
            elif not path.is_file():
                self._refused(404, "NoSuchKey" if self.command == "GET" else "")
            else:
                self._file(path)

        do_HEAD = do_GET  # noqa: N815 (the name is the server's)

        def _file(self, path):
            body, told = path.read_bytes(), path.stat()
            headers = [
                ("Last-Modified", formatdate(told.st_mtime, usegmt=True)),
                ("ETag", f'"{told.st_mtime_ns}"'),
                ("Accept-Ranges", "bytes"),
            ]
            wanted = self.headers.get("Range")
            if wanted and self.command == "GET":
                first, _, last = wanted.removeprefix("bytes=").partition("-")
                stop = min(int(last) + 1 if last else len(body), len(body))
                some = body[int(first) : stop]
                self._answer(206, some, [*headers, ("Content-Range", f"bytes {first}-{stop - 1}/{len(body)}")])
            elif self.command == "HEAD":
                self._answer(200, b"", [*headers, ("Content-Length", str(len(body)))], bare=True)
            else:
                self._answer(200, body, headers)

        def _listed(self, bucket, query):
            root, prefix = store.folder / bucket, query.get("prefix", "")
            files = sorted(each for each in root.rglob("*") if each.is_file()) if root.is_dir() else []
            found = [each for each in files if str(each.relative_to(root)).startswith(prefix)]
            lines = "".join(
                f"<Contents><Key>{escape(str(each.relative_to(root)))}</Key><Size>{each.stat().st_size}</Size>"
                f"<LastModified>{time.strftime('%Y-%m-%dT%H:%M:%S.000Z', time.gmtime(each.stat().st_mtime))}</LastModified></Contents>"
                for each in found
            )
            body = f"<ListBucketResult><Name>{bucket}</Name><KeyCount>{len(found)}</KeyCount><IsTruncated>false</IsTruncated>{lines}</ListBucketResult>"
            self._answer(200, body.encode(), [("Content-Type", "application/xml")])

    return Handler


@contextlib.contextmanager
def object_store(folder: Path):
    """A store over a folder whose folders are its buckets; gives it and its address."""
    store = Store(folder)
    server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(store))
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield store, f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()
