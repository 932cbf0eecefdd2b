#!/usr/bin/env bash
# Migrate, load and serve the demo on the first free port from PORT (8000) upwards.
set -euo pipefail
cd "$(dirname "$0")/.."
export DJANGO_SETTINGS_MODULE=rainfront.settings.demo
py=.venv/bin/python
"$py" manage.py migrate --verbosity 0
"$py" manage.py load_demo
port=$("$py" scripts/free_port.py "${PORT:-8000}")
echo
echo "  Rainfront demo: http://127.0.0.1:$port/"
echo "  Sign in as tech, second or lead with the password rainfront. Ctrl-C stops it."
echo
exec .venv/bin/gunicorn rainfront.wsgi --bind "127.0.0.1:$port" --workers 1 --threads 8 --log-level warning
