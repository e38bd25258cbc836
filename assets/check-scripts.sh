#!/usr/bin/env bash
# The page's scripts: linted, formatted, and tested where they compute.
set -eu
cd "$(dirname "$0")/.."
[ -x node_modules/.bin/eslint ] || npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
node_modules/.bin/eslint kalyptra eslint.config.mjs assets
node_modules/.bin/prettier --check kalyptra/bench kalyptra/design/static/design/scripts assets/build.mjs eslint.config.mjs
node --test kalyptra/bench/tests/scripts/*.test.mjs
