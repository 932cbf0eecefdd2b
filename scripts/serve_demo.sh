#!/usr/bin/env bash
# Migrate, load and serve the demo on the first free port from PORT (8000) upwards.
set -euo pipefail
umask 077
cd "$(dirname "$0")/.."
export DJANGO_SETTINGS_MODULE=rainfront.settings.demo RAINFRONT_HASHED=yes
py=.venv/bin/python
# What does not wait for each other runs beside each other: there are two cores on the smallest machine.
"$py" manage.py migrate --verbosity 0 &
migrating=$!
"$py" manage.py collectstatic --noinput --verbosity 0
"$py" manage.py compile
wait "$migrating"
"$py" manage.py tidy >/dev/null
meter=$("$py" scripts/free_port.py "${METER_PORT:-7711}")
probe=$("$py" scripts/free_port.py "${PROBE_PORT:-$((meter + 1))}")
supply=$("$py" scripts/free_port.py "${SUPPLY_PORT:-$((probe + 1))}")
thermo=$("$py" scripts/free_port.py "$((supply + 1))")
"$py" manage.py standins --meter "$meter" --probe "$probe" --device port_ic_fault.lines --percent 2 --supply "$supply" --thermo "$thermo" \
  --cell-speed "${CELL_SPEED:-20}" &
running="$!"
trap 'kill $running 2>/dev/null; wait 2>/dev/null; exit 0' INT TERM EXIT
"$py" manage.py load_demo --meter "$meter" --probe "$probe" --supply "$supply" --thermo "$thermo"
"$py" manage.py work &
running="$running $!"
port=$("$py" scripts/free_port.py "${PORT:-8000}")
echo
echo "  Rainfront demo: http://127.0.0.1:$port/"
echo "  Sign in as tech, second, lead, owner, counter or apprentice with the password rainfront. Ctrl-C stops it."
echo
.venv/bin/gunicorn rainfront.wsgi --bind "127.0.0.1:$port" --preload --workers 2 --threads 8 --log-level warning &
served=$!
running="$running $served"
wait "$served" || true
