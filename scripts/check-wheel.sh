#!/usr/bin/env bash
# Builds a wheel, installs it into an empty environment elsewhere, and uses it there: values computed, a page served.
set -euo pipefail
cd "$(dirname "$0")/.."
root=$PWD
away=$(mktemp -d)
trap 'kill "${server:-}" 2>/dev/null || true; wait "${server:-}" 2>/dev/null || true; rm -rf "$away"' EXIT

# From a copy, so that nothing is left lying in the checkout.
mkdir "$away/source"
git ls-files -z pyproject.toml README.md LICENSE src | xargs -0 cp --parents -t "$away/source"
.venv/bin/uv build -q --wheel -o "$away/wheel" "$away/source"
grep -v -e "--hash" requirements/app.lock | tr -d '\\\\' >"$away/pins.txt"
.venv/bin/uv venv -q --python .venv/bin/python "$away/env"
.venv/bin/uv pip install -q --python "$away/env/bin/python" --constraint "$away/pins.txt" "$away"/wheel/widefork-*.whl

cd "$away"
PYTHONPATH="" env/bin/widefork calc "$root/src/widefork/demo/models/quillmere.yaml" --line cash --case base | grep -q "^base,cash,"
port=$(env/bin/python -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])')
env/bin/widefork demo --data "$away/data" --port "$port" >"$away/said.txt" 2>&1 &
server=$!
for _ in $(seq 300); do
  if env/bin/python - "$port" <<'PAGE'; then
import sys, urllib.request
address = f"http://127.0.0.1:{sys.argv[1]}"
try:
    page = urllib.request.urlopen(f"{address}/m/1/drivers", timeout=30).read().decode()
except OSError:
    sys.exit(1)
assert "Quillmere Water Labs" in page and "Kit price" in page
style = urllib.request.urlopen(f"{address}/static/widefork.css", timeout=30).read()
assert len(style) > 10_000
PAGE
    echo "the installed wheel computes and serves"
    exit 0
  fi
  kill -0 "$server" 2>/dev/null || break
  sleep 0.2
done
cat "$away/said.txt"
echo "The installed wheel does not serve its demo."
exit 1
