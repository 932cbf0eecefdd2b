#!/usr/bin/env bash
# Install the HTML checker that the tests use (html-validate, from package-lock.json), if it is missing.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -x node_modules/.bin/html-validate ] && exit 0
if ! command -v npm >/dev/null; then
  echo "Node 20 with npm is needed: the tests check every page with html-validate. apt-get install nodejs npm, then again" >&2
  exit 1
fi
echo "Installing html-validate with npm (a few seconds)" >&2
npm ci --ignore-scripts --no-audit --no-fund --silent 2>&1 | grep -v '^npm warn' >&2 || true
[ -x node_modules/.bin/html-validate ] || { echo "npm could not install html-validate" >&2; exit 1; }
