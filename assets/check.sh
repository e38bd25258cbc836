#!/usr/bin/env bash
# The committed styles, fonts and scripts are what their sources give: build again and compare.
set -eu
cd "$(dirname "$0")/.."
built=kalyptra/design/static/design/built
kept=$(mktemp -d)
trap 'rm -rf "$kept"' EXIT
cp -r "$built" "$kept/built"
[ -x node_modules/.bin/tailwindcss ] || npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
npm run --silent build >/dev/null 2>&1
diff -r "$kept/built" "$built" || { echo "The built styles differ from their sources: run 'npm run build' and commit."; exit 1; }
