#!/usr/bin/env bash
# The committed styles, fonts and scripts are what their sources give: build again, beside them, and compare.
set -eu
cd "$(dirname "$0")/.."
again=$(mktemp -d)
trap 'rm -rf "$again"' EXIT
[ -x node_modules/.bin/tailwindcss ] || npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
node assets/build.mjs "$again" >/dev/null 2>&1
diff -r "$again" kalyptra/design/static/design/built || { echo "The built styles differ from their sources: run 'npm run build' and commit."; exit 1; }
