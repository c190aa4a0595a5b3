#!/usr/bin/env bash
# Rebuilds the stylesheet and compares it with the committed one.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ ! -x node_modules/.bin/tailwindcss ] || [ ! -f node_modules/axe-core/axe.min.js ]; then
  npm install --no-save --ignore-scripts --no-package-lock >/dev/null 2>&1
fi
built=$(mktemp --suffix=.css)
trap 'rm -f "$built"' EXIT
node_modules/.bin/tailwindcss -i src/widefork/web/shared/css/widefork.css -o "$built" --minify
cmp "$built" src/widefork/web/static/widefork.css || {
  echo "The committed stylesheet is not what its source builds. Run: npm run build"
  exit 1
}
