#!/usr/bin/env bash
# Rebuilds the stylesheet and compares it with the committed one.
set -euo pipefail
cd "$(dirname "$0")/.."
built=$(mktemp --suffix=.css)
trap 'rm -f "$built"' EXIT
cmp "$built" src/widefork/web/static/widefork.css || {
  echo "The committed stylesheet is not what its source builds. Run: npm run build"
  exit 1
}
