"""The server as a process: what was acknowledged is still there after it is killed; a taken port is said."""

import http.cookiejar
import importlib
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.parse
import urllib.request
from contextlib import contextmanager

from click.testing import CliRunner

from tests.kit.gestures import gesture
from widefork.cli.main import main
from widefork.demo import demo_text
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore
from widefork.web.app import create_app


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def running(folder):
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "widefork", "demo", "--data", str(folder), "--port", str(port)],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        wait_for(port, process)
        yield process, f"http://127.0.0.1:{port}"
    finally:
        process.kill()
        process.wait(10)


def wait_for(port, process):
    until = time.monotonic() + 60
    while time.monotonic() < until:
        assert process.poll() is None, "the server stopped before it answered"
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)
    raise AssertionError("the server did not answer within a minute")


def test_an_acknowledged_edit_survives_the_server_being_killed(tmp_path):
    browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))
    with running(tmp_path) as (process, address):
        page = browser.open(f"{address}/m/1/drivers").read().decode()
        token = re.search(r'"X-CSRFToken": "([^"]+)"', page)[1]
        edit = gesture(rows=[("rent", "")], months=["2026-09"], value="9999", reach="on", csrf_token=token)
        reply = browser.open(f"{address}/m/1/drivers/cells", urllib.parse.urlencode(edit).encode())
        assert reply.status == 200
        process.send_signal(signal.SIGKILL)
        process.wait(10)
    with running(tmp_path) as (_, address):
        assert "9,999" in browser.open(f"{address}/m/1/drivers?focus=rent").read().decode()


def test_after_a_stop_the_main_file_alone_holds_what_was_acknowledged(tmp_path):
    browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))
    with running(tmp_path / "served") as (process, address):
        page = browser.open(f"{address}/m/1/drivers").read().decode()
        token = re.search(r'"X-CSRFToken": "([^"]+)"', page)[1]
        edit = gesture(rows=[("rent", "")], months=["2026-09"], value="9999", reach="on", csrf_token=token)
        browser.open(f"{address}/m/1/drivers/cells", urllib.parse.urlencode(edit).encode())
        result = CliRunner().invoke(main, ["backup", str(tmp_path / "kept.db"), "--data", str(tmp_path / "served")])
        assert "Backed up to" in result.output
        process.send_signal(signal.SIGTERM)
        assert process.wait(20) == 0
    (tmp_path / "copied").mkdir()
    (tmp_path / "copied" / "widefork.db").write_bytes((tmp_path / "served" / "widefork.db").read_bytes())
    for folder in (tmp_path / "copied", tmp_path / "restored"):
        if folder.name == "restored":
            done = CliRunner().invoke(main, ["restore", str(tmp_path / "kept.db"), "--data", str(folder)])
            assert "Restored from" in done.output
        model = ModelStore(open_database(folder / "widefork.db")).load(1).model
        assert model.line("rent").rules[()].values(model.timeline)[8] == 9999


def test_a_key_that_is_none_is_replaced_and_a_good_one_kept(tmp_path):
    create_app(tmp_path)
    good = (tmp_path / "secret.key").read_text()
    create_app(tmp_path)
    assert (tmp_path / "secret.key").read_text() == good
    for bad in ("", "short", "\x00" * 64):
        (tmp_path / "secret.key").write_text(bad)
        assert len(create_app(tmp_path).config["SECRET_KEY"]) == 64
        assert (tmp_path / "secret.key").stat().st_mode & 0o777 == 0o600


def test_a_folder_that_cannot_be_is_said_without_a_traceback(tmp_path):
    (tmp_path / "file").write_text("")
    result = CliRunner().invoke(main, ["serve", "--data", str(tmp_path / "file" / "x"), "--port", str(free_port())])
    assert result.exit_code == 2
    assert "Choose another folder" in result.output


def test_a_taken_port_is_said_before_anything_else(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        result = CliRunner().invoke(main, ["demo", "--data", str(tmp_path / "new"), "--port", str(port)])
    assert result.exit_code == 1
    assert f"Port {port} is taken" in result.output
    assert not (tmp_path / "new").exists()


def test_fresh_says_what_it_removes(tmp_path, monkeypatch):
    monkeypatch.setattr("widefork.cli.demo.run_server", lambda *_: None)
    first = CliRunner().invoke(main, ["demo", "--data", str(tmp_path), "--port", str(free_port())])
    assert "Loaded Quillmere Water Labs" in first.output
    second = CliRunner().invoke(main, ["demo", "--data", str(tmp_path), "--port", str(free_port())])
    assert second.output == ""
    fresh = CliRunner().invoke(main, ["demo", "--fresh", "--data", str(tmp_path), "--port", str(free_port())])
    assert "Removing" in fresh.output
    assert "widefork.db" in fresh.output
    assert "Loaded" in fresh.output


def test_a_model_file_is_loaded_or_refused_with_its_line(tmp_path):
    good, bad = tmp_path / "good.yaml", tmp_path / "bad.yaml"
    good.write_text(demo_text("quillmere"), "utf-8")
    bad.write_text(demo_text("quillmere").replace("months: 36", "months: many"), "utf-8")
    loaded = CliRunner().invoke(main, ["load", str(good), "--data", str(tmp_path)])
    assert "Loaded Quillmere Water Labs" in loaded.output
    refused = CliRunner().invoke(main, ["load", str(bad), "--data", str(tmp_path)])
    assert refused.exit_code == 2
    assert "timeline/months: line 5" in refused.output


def test_a_kernel_that_cannot_be_loaded_keeps_nobody_from_serving(monkeypatch, capsys):
    def refuse():
        raise ImportError("no compiler here")

    serving = importlib.import_module("widefork.cli.serve")
    monkeypatch.setattr(serving, "warm_up", refuse)
    serving._load_machine()
    assert "no compiler here); models are computed plainly" in capsys.readouterr().err
