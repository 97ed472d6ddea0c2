"""The sample for a proxy with TLS in front of the program, as it stands in the documents: started, and asked from outside."""

import os
import socket
import ssl
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from datetime import UTC, datetime, timedelta
from http.cookiejar import CookieJar
from ipaddress import ip_address
from pathlib import Path
from urllib.parse import urlencode

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from django.db import connection
from django.test import TransactionTestCase

from launch import CannotStartError
from launch.__main__ import _behind
from launch.packages import unpacked
from rectaxis.demo.business import PASSWORD
from tests.demo import put_out_the_demo

ROOT = Path(__file__).resolve().parent.parent


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def certificate(folder):
    """A certificate of its own for 127.0.0.1, as two files."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "127.0.0.1")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key()).serial_number(1)
        .not_valid_before(now - timedelta(days=1)).not_valid_after(now + timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address("127.0.0.1"))]), critical=False)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    pem, private = folder / "yard.pem", folder / "yard.key"
    pem.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    plain = serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    private.write_bytes(key.private_bytes(serialization.Encoding.PEM, *plain))
    return pem, private


class Stay(urllib.request.HTTPRedirectHandler):
    """An answer that leads elsewhere is the answer."""

    def redirect_request(self, *_):
        return None


class BehindAProxy(TransactionTestCase):
    def setUp(self):
        try:
            nginx = unpacked("nginx", "usr/sbin/nginx")
        except CannotStartError as error:
            self.skipTest(f"without Debian's registry: {error}")
        put_out_the_demo()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.folder.chmod(0o755)
        self.plain, self.tls, self.inside = free_port(), free_port(), free_port()
        self.site = f"https://127.0.0.1:{self.tls}"
        pem, private = certificate(self.folder)
        self.context = ssl.create_default_context(cafile=str(pem))
        text = (ROOT / "docs" / "nginx.conf").read_text()
        for was, now in (
            ("listen 80;", f"listen 127.0.0.1:{self.plain};"), ("listen 443 ssl", f"listen 127.0.0.1:{self.tls} ssl"),
            ("https://$host$request_uri", f"{self.site}$request_uri"), ("127.0.0.1:8000", f"127.0.0.1:{self.inside}"),
            ("/etc/ssl/certs/yard.example.pem", str(pem)), ("/etc/ssl/private/yard.example.key", str(private)),
        ):  # fmt: skip
            self.assertIn(was, text)
            text = text.replace(was, now)
        places = "".join(
            f"{of}_temp_path {self.folder}/{of};" for of in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
        )
        conf = self.folder / "nginx.conf"
        conf.write_text(
            f"pid {self.folder}/pid; error_log {self.folder}/errors; daemon off; events {{}} http {{ access_log off; {places} {text} }}"
        )
        self.start([str(nginx), "-p", str(self.folder), "-c", str(conf)])
        settings = connection.settings_dict
        url = f"postgresql://{settings['USER']}:{settings['PASSWORD']}@{settings['HOST']}:{settings['PORT']}/{settings['NAME']}"
        self.start(
            [sys.executable, "-m", "uvicorn", "rectaxis.asgi:application", "--port", str(self.inside), "--lifespan", "off",
             "--log-level", "error", *_behind("127.0.0.1")],
            RECTAXIS_DATABASE=url, RECTAXIS_SITE=self.site, RECTAXIS_PROXY="127.0.0.1", DJANGO_SETTINGS_MODULE="rectaxis.settings.testing",
        )  # fmt: skip
        self.jar = CookieJar()
        until = time.monotonic() + 60
        while time.monotonic() < until and self.ask("/health/ready/")[0] != 200:
            time.sleep(0.3)

    def start(self, command, **environment):
        process = subprocess.Popen(command, cwd=ROOT, env=os.environ | environment)
        self.addCleanup(process.wait)
        self.addCleanup(process.terminate)

    def ask(self, path, data=None, site="", **headers):
        """Status, headers and text."""
        opener = urllib.request.build_opener(
            Stay(), urllib.request.HTTPSHandler(context=self.context), urllib.request.HTTPCookieProcessor(self.jar)
        )
        request = urllib.request.Request((site or self.site) + path, data, {"Referer": self.site + path, **headers})
        try:
            with opener.open(request, timeout=30) as answer:
                return answer.status, answer.headers, answer.read().decode()
        except urllib.error.HTTPError as answer:
            with answer:
                return answer.code, answer.headers, answer.read().decode()
        except OSError:
            return 0, {}, ""

    def sign_in(self, password, **headers):
        self.ask("/sign-in/")
        token = next(cookie.value for cookie in self.jar if cookie.name == "__Host-csrftoken")
        given = {"login": "mara", "password": password, "csrfmiddlewaretoken": token}
        return self.ask("/sign-in/", urlencode(given).encode(), **headers)

    def test_what_comes_in_the_clear_is_led_to_tls_cookies_stay_there_and_nobody_forges_an_address(self):
        status, headers, _ = self.ask("/sign-in/", site=f"http://127.0.0.1:{self.plain}")
        self.assertEqual((status, headers["Location"]), (308, f"{self.site}/sign-in/"))
        status, headers, _ = self.sign_in(PASSWORD)
        self.assertEqual(status, 302)
        self.assertEqual([cookie.secure and cookie.name.startswith("__Host-") for cookie in self.jar], [True, True])
        self.assertIn("max-age=31536000", headers["Strict-Transport-Security"])
        status, _, page = self.ask("/")
        self.assertEqual(status, 200)
        self.assertIn("Mara", page)
        self.assertEqual(self.ask("/metrics/")[0], 403)
        self.jar.clear()
        # Refused before it was read, as the proxy passes it on as it comes; what is on its way is read away, so that the answer comes through.
        for _ in range(5):
            self.assertEqual(self.ask("/sign-in/", b"x" * 5_000_000)[0], 413)
        answers = [self.sign_in("wrong", **{"X-Forwarded-For": f"10.0.0.{n}"})[0] for n in range(9)]
        self.assertEqual(answers[-1], 429, "the address that the proxy saw is what counts")
