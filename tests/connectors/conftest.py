"""What the tests of connectors share."""

import subprocess
from pathlib import Path

import pytest


@pytest.fixture
def certificates(tmp_path: Path) -> Path:
    folder = tmp_path / "tls"
    folder.mkdir()
    commands = [
        "openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=kelpmoor-ca -keyout ca.key -out ca.pem",
        "openssl req -newkey rsa:2048 -nodes -subj /CN=127.0.0.1 -keyout server.key -out server.csr",
        "openssl x509 -req -in server.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 2 "
        "-extfile names -out server.pem",
        "openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=other -keyout o.key -out other.pem",
    ]
    (folder / "names").write_text("subjectAltName=IP:127.0.0.1\n")
    for command in commands:
        subprocess.run(command.split(), cwd=folder, check=True, capture_output=True)
    return folder
