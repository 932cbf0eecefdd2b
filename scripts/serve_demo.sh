#!/usr/bin/env bash
# Migrate, load and serve the demo on the first free port from PORT (8000) upwards.
set -euo pipefail
umask 077
cd "$(dirname "$0")/.."
export DJANGO_SETTINGS_MODULE=rainfront.settings.demo RAINFRONT_HASHED=yes
py=.venv/bin/python
"$py" manage.py migrate --verbosity 0
"$py" manage.py collectstatic --noinput --verbosity 0
"$py" manage.py tidy >/dev/null
"$py" manage.py load_demo
meter=$("$py" scripts/free_port.py "${METER_PORT:-7711}")
"$py" manage.py point_meter "$meter"
"$py" manage.py standin_meter --port "$meter" &
running=$!
probe=$("$py" scripts/free_port.py "${PROBE_PORT:-$((meter + 1))}")
"$py" manage.py point_probe "$probe"
"$py" manage.py standin_probe --port "$probe" --board port_ic_fault &
running="$running $!"
trap 'kill $running 2>/dev/null; wait 2>/dev/null; exit 0' INT TERM EXIT
port=$("$py" scripts/free_port.py "${PORT:-8000}")
echo
echo "  Rainfront demo: http://127.0.0.1:$port/"
echo "  Sign in as tech, second, lead, owner, counter or apprentice with the password rainfront. Ctrl-C stops it."
echo
.venv/bin/gunicorn rainfront.wsgi --bind "127.0.0.1:$port" --workers 1 --threads 8 --log-level warning &
served=$!
running="$running $served"
wait "$served" || true
