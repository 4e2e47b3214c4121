"""Who is let in, how the page is kept to itself, and how large a request may be."""

import http.client
import json
import time
import unittest
from datetime import UTC, datetime, timedelta
from urllib.parse import urlsplit

import httpx
from sqlalchemy import select, update
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from crenn.api.context import is_loopback, served_names
from crenn.api.guard import COOKIE, LoginThrottle, _is_own_address
from crenn.api.limits import MAX_JSON_BYTES
from crenn.api.logins import Logins
from crenn.store.models import Login
from tests.api.case import ApiCase

SECRET = "a long secret"


class Hosts(unittest.TestCase):
    def test_names_that_are_served(self):
        names = served_names("127.0.0.1", 8642)
        self.assertIn("localhost:8642", names)
        self.assertIn("[::1]:8642", names)
        self.assertNotIn("localhost:80", names)
        self.assertIn("pictures.example", served_names("0.0.0.0", 8642, ["Pictures.example"]))
        self.assertIn("localhost", served_names("127.0.0.1", 80))

    def test_loopback(self):
        self.assertTrue(is_loopback("::1"))
        self.assertFalse(is_loopback("0.0.0.0"))

    def test_the_address_that_a_connection_came_in_by_is_the_machines_own(self):
        for host, server, own in (
            ("192.0.2.7:8642", ("192.0.2.7", 8642), True),
            ("192.0.2.7", ("192.0.2.7", 80), True),
            ("[2001:db8::5]:8642", ("2001:db8::5", 8642), True),
            ("192.0.2.7:8642", ("::ffff:192.0.2.7", 8642), True),
            ("192.0.2.8:8642", ("192.0.2.7", 8642), False),
            ("192.0.2.7:99", ("192.0.2.7", 8642), False),
            ("evil.example:8642", ("192.0.2.7", 8642), False),
            ("[", ("192.0.2.7", 8642), False),
            ("192.0.2.7:8642", None, False),
            ("192.0.2.7:x", ("192.0.2.7", 8642), False),
        ):
            with self.subTest(host=host, server=server):
                self.assertEqual(_is_own_address(host, server), own)


class Guarded(ApiCase):
    def test_other_hosts_and_origins_are_refused(self):
        self.assertEqual(self.http.get("/api/shoots").status_code, 200)
        for headers in (
            {"Host": "evil.example"},
            {"Origin": "http://evil.example"},
            {"Origin": "http://["},
            {"Origin": "null"},
            {"Origin": ""},
            {"Host": ""},
        ):
            with self.subTest(headers=headers):
                self.assertEqual(self.http.get("/api/shoots", headers=headers).status_code, 403)

    def test_no_line_for_another_origin(self):
        address = self.served.address.replace("http", "ws") + "/api/news"
        with self.assertRaises((InvalidStatus, ConnectionClosed)):
            connect(address, origin="http://[").recv(5)

    def test_every_answer_is_kept_to_itself(self):
        for path in ("/", "/api/shoots", "/api/nothing", "/scenes/1/light"):
            with self.subTest(path=path):
                headers = self.http.get(path).headers
                policy = headers["content-security-policy"]
                self.assertIn("frame-ancestors 'none'", policy)
                self.assertIn("script-src 'self';", policy)
                self.assertNotIn("unsafe", policy)
                self.assertEqual(headers["x-content-type-options"], "nosniff")
                self.assertEqual(headers["referrer-policy"], "no-referrer")

    def test_each_page_has_a_nonce_of_its_own(self):
        pages = [self.http.get("/") for _ in range(2)]
        nonces = [p.headers["content-security-policy"].split("'nonce-")[1].split("'")[0] for p in pages]
        self.assertNotEqual(*nonces)
        for page, nonce in zip(pages, nonces):
            self.assertIn(f'content="{nonce}"', page.text)


class AnyAddress(ApiCase):
    changes = {"any_address": True}

    def test_its_own_address_is_served_and_a_name_that_leads_there_is_not(self):
        port = urlsplit(self.served.address).port
        self.assertEqual(self.http.get("/api/shoots", headers={"Host": f"127.0.0.1:{port}"}).status_code, 200)
        self.assertEqual(self.http.get("/api/shoots", headers={"Host": f"evil.example:{port}"}).status_code, 403)
        self.assertEqual(self.http.get("/api/shoots", headers={"Host": "192.0.2.1"}).status_code, 403)


class SecretCase(ApiCase):
    changes = {"secret": SECRET}

    def sign_in(self, **more) -> httpx.Response:
        return self.http.post("/api/sign-in", **({"json": {"secret": SECRET}} | more))


class SigningIn(SecretCase):
    def test_a_secret_is_asked_for(self):
        self.assertEqual(self.http.get("/api/shoots").status_code, 401)
        self.assertEqual(self.sign_in(json={"secret": "guess"}).status_code, 401)
        time.sleep(0.6)
        answer = self.sign_in()
        self.assertEqual(answer.status_code, 200)
        self.assertNotIn("Secure", answer.headers["set-cookie"])
        self.assertIn("HttpOnly", answer.headers["set-cookie"])
        self.assertEqual(self.http.get("/api/shoots").status_code, 200)

    def test_everybody_has_a_key_of_their_own_and_signs_out_alone(self):
        with httpx.Client(base_url=self.served.address) as other:
            for client in (self.http, other):
                self.assertEqual(client.post("/api/sign-in", json={"secret": SECRET}).status_code, 200)
            self.assertNotEqual(self.http.cookies[COOKIE], other.cookies[COOKIE])
            key = self.http.cookies[COOKIE]
            self.assertEqual(self.http.get("/api/session").json(), {"secret": True})
            self.assertEqual(self.http.post("/api/sign-out").status_code, 200)
            self.assertEqual(self.http.get("/api/shoots").status_code, 401)
            stolen = {"cookie": f"{COOKIE}={key}"}
            self.assertEqual(self.http.get("/api/shoots", headers=stolen).status_code, 401, "it holds no longer")
            self.assertEqual(other.get("/api/shoots").status_code, 200)

    def test_keys_outlive_the_application_and_end_by_themselves(self):
        self.sign_in()
        key = self.http.cookies[COOKIE]
        logins = Logins(self.database)
        self.assertTrue(logins.holds(key))
        self.assertFalse(logins.holds("another"))
        with self.database.session() as session:
            self.assertNotIn(
                key, [row.key for row in session.execute(select(Login)).scalars()], "only its digest is kept"
            )
            session.execute(update(Login).values(expires=datetime.now(UTC) - timedelta(seconds=1)))
            session.commit()
        self.assertFalse(Logins(self.database).holds(key))

    def test_odd_sign_ins_are_told(self):
        for body in (
            b"",
            b"[]",
            b"null",
            b'{"secret": 5}',
            b'{"secret": {"a": []}}',
            b"[" * 100_000,
            b"\xff\xfe",
            b'{"secret": "\\u0000"}',
            b'{"secret": "\\ud800"}',
            b'{"secret": "x", "more": 1}',
        ):
            with self.subTest(body=body[:30]):
                answer = self.sign_in(json=None, content=body, headers={"Content-Type": "application/json"})
                self.assertIn(answer.status_code, (400, 422), answer.text)
                self.assertTrue(answer.json()["detail"])

    def test_an_odd_cookie_is_no_key(self):
        for cookie in (f"{COOKIE}=\xfc\xff".encode("latin-1"), b"=;;=", f"{COOKIE}".encode(), b"\xff" * 3000):
            with self.subTest(cookie=cookie[:20]):
                self.assertEqual(self.http.get("/api/shoots", headers=[(b"cookie", cookie)]).status_code, 401)

    def test_guessing_is_slowed_down(self):
        answers = [self.sign_in(json={"secret": f"guess {i}"}) for i in range(6)]
        self.assertEqual([a.status_code for a in answers], [401] + [429] * 5)
        self.assertGreaterEqual(int(answers[-1].headers["retry-after"]), 1)
        self.assertEqual(self.sign_in().status_code, 429, "the right secret waits as well")


class BehindAProxy(SecretCase):
    changes = {"secret": SECRET, "proxies": ["127.0.0.1"]}

    def test_the_cookie_is_for_https_alone_where_the_proxy_says_so(self):
        self.assertIn("Secure", self.sign_in(headers={"X-Forwarded-Proto": "https"}).headers["set-cookie"])
        self.assertNotIn("Secure", self.sign_in().headers["set-cookie"])

    def test_guesses_are_counted_by_the_client_that_the_proxy_names(self):
        for client, expected in (("192.0.2.1", 401), ("192.0.2.1", 429), ("192.0.2.2", 401)):
            answer = self.sign_in(json={"secret": "guess"}, headers={"X-Forwarded-For": client})
            self.assertEqual(answer.status_code, expected, client)


class BehindNoProxy(SecretCase):
    def test_what_a_client_says_of_itself_is_not_believed(self):
        headers = {"X-Forwarded-Proto": "https", "X-Forwarded-For": "192.0.2.1"}
        self.assertNotIn("Secure", self.sign_in(headers=headers).headers["set-cookie"])
        self.assertEqual(self.sign_in(json={"secret": "guess"}, headers=headers).status_code, 401)
        self.assertEqual(
            self.sign_in(json={"secret": "guess"}, headers=headers | {"X-Forwarded-For": "192.0.2.2"}).status_code, 429
        )


class Waiting(unittest.TestCase):
    def test_the_pause_doubles_and_is_forgiven(self):
        throttle = LoginThrottle(first=10, longest=35)
        waits = []
        for _ in range(4):
            throttle.wrong("192.0.2.1")
            waits.append(round(throttle.wait("192.0.2.1")))
        self.assertEqual(waits, [10, 20, 35, 35])
        self.assertEqual(throttle.wait("192.0.2.2"), 0)
        throttle.right("192.0.2.1")
        self.assertEqual(throttle.wait("192.0.2.1"), 0)

    def test_memory_of_addresses_is_bounded(self):
        throttle = LoginThrottle(first=10, longest=35, most=3)
        for n in range(5):
            throttle.wrong(f"192.0.2.{n}")
        self.assertEqual(throttle.wait("192.0.2.0"), 0)
        self.assertGreater(throttle.wait("192.0.2.4"), 5)


class Sizes(ApiCase):
    changes = {"max_upload_bytes": 3_000_000}

    def test_a_large_json_body_is_refused_before_it_is_parsed(self):
        body = json.dumps({"path": "/", **{f"unknown{i}": i for i in range(700_000)}})
        self.assertGreater(len(body), MAX_JSON_BYTES)
        began = time.monotonic()
        answer = self.http.post("/api/folders", content=body, headers={"Content-Type": "application/json"})
        self.assertEqual(answer.status_code, 413)
        self.assertIn("larger than 12 MiB", answer.json()["detail"])
        self.assertLess(time.monotonic() - began, 5)

    def test_a_size_that_is_told_is_refused_at_once(self):
        """Nothing but the headers is sent."""
        parts = urlsplit(self.served.address)
        line = http.client.HTTPConnection(parts.hostname, parts.port, timeout=10)
        self.addCleanup(line.close)
        line.putrequest("POST", "/api/uploads")
        line.putheader("Content-Type", "multipart/form-data; boundary=x")
        line.putheader("Content-Length", str(10**12))
        line.endheaders()
        answer = line.getresponse()
        self.assertEqual(answer.status, 413)
        self.assertIn("Send fewer frames", json.loads(answer.read())["detail"])

    def test_a_size_that_is_not_told_is_counted_while_it_arrives(self):
        """The answer comes while the body still goes on."""
        parts = urlsplit(self.served.address)
        line = http.client.HTTPConnection(parts.hostname, parts.port, timeout=20)
        self.addCleanup(line.close)
        line.putrequest("POST", "/api/uploads")
        line.putheader("Content-Type", "multipart/form-data; boundary=x")
        line.putheader("Transfer-Encoding", "chunked")
        line.endheaders()
        head = b'--x\r\nContent-Disposition: form-data; name="files"; filename="a.dng"\r\n\r\n'
        for piece in [head] + [b"\0" * 65_536] * 80:
            line.send(b"%x\r\n%s\r\n" % (len(piece), piece))
        answer = line.getresponse()
        self.assertEqual(answer.status, 413)
        self.assertIn("larger than 3 MiB", json.loads(answer.read())["detail"])
        self.assertEqual(list((self.served.library.folder / "incoming").iterdir()), [])
