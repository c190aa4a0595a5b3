#!/usr/bin/env bash
# Every pinned package has a wheel for every Python the project says it runs on; nothing is installed.
set -euo pipefail
cd "$(dirname "$0")/.."
nowhere=$(mktemp -d)
trap 'rm -rf "$nowhere"' EXIT
for version in 3.11 3.12 3.13; do
  .venv/bin/uv pip install -q --dry-run --python-version "$version" --target "$nowhere" --only-binary :all: \
    --require-hashes -r requirements/app.lock
done
