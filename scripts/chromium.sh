#!/usr/bin/env bash
# Install Debian's chromium where it is missing.
set -euo pipefail
command -v chromium >/dev/null && exit 0
sudo=""
[ "$(id -u)" = 0 ] || sudo="sudo"
$sudo apt-get update -qq >/dev/null
DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends chromium >/dev/null
