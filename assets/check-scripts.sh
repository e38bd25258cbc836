#!/usr/bin/env bash
# The page's scripts: linted, formatted, their types checked against the API's own, and tested where they compute.
set -eu
cd "$(dirname "$0")/.."
[ -x node_modules/.bin/tsc ] || npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
node_modules/.bin/eslint kalyptra eslint.config.mjs assets
node_modules/.bin/prettier --check kalyptra/bench kalyptra/design/static/design/scripts assets/build.mjs eslint.config.mjs
node_modules/.bin/openapi-typescript assets/types/openapi.json -o assets/types/api.d.ts >/dev/null
node_modules/.bin/tsc -p tsconfig.json
node --test kalyptra/bench/tests/scripts/*.test.mjs
