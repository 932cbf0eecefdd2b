#!/usr/bin/env bash
# Make .venv hold exactly requirements/$1.txt. Idempotent: a stamp with the file's hash says that it does already. A venv that
# a broken-off run left behind is repaired or made anew.
set -euo pipefail
cd "$(dirname "$0")/.."
want=${1:-base}
mark=.venv/.rainfront-$want
hash=$(cat requirements/*.txt | sha256sum | cut -d' ' -f1)
if [ -x .venv/bin/python ] && [ "$(cat "$mark" 2>/dev/null)" = "$hash" ] && .venv/bin/python -c 'import django' 2>/dev/null; then
  exit 0
fi
python=${PYTHON:-python3.11}
if ! command -v "$python" >/dev/null; then
  echo "Python 3.11 is needed: apt-get install python3.11 python3.11-venv, or PYTHON=/path/to/python3.11 make setup" >&2
  exit 1
fi
if ! [ -x .venv/bin/python ] || ! .venv/bin/python -m pip --version >/dev/null 2>&1; then
  rm -rf .venv
  if ! "$python" -m venv .venv >/dev/null 2>&1; then
    rm -rf .venv
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
      apt-get update -qq >/dev/null && apt-get install -y -qq python3-venv >/dev/null
      "$python" -m venv .venv
    else
      echo "python3.11 cannot make a virtual environment: apt-get install python3.11-venv, then again" >&2
      exit 1
    fi
  fi
fi
total=$(grep -cE '^[A-Za-z0-9._-]+==' "requirements/$want.txt")
echo "Installing the $total packages of requirements/$want.txt into .venv (half a minute to two minutes)" >&2
.venv/bin/python -m pip install --progress-bar off --disable-pip-version-check --require-hashes -r "requirements/$want.txt" 2>&1 |
  scripts/counted.sh '^(Collecting|Requirement already satisfied)' "$total" "packages looked up"
echo "$hash" > "$mark"
[ "$want" = base ] || echo "$hash" > .venv/.rainfront-base
