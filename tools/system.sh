#!/usr/bin/env bash
# Installs the Debian packages that are missing. Names what is wanted: postgresql, node, python, chromium.
set -euo pipefail

missing=()
for want in "$@"; do
  case "$want" in
    postgresql) compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || command -v initdb >/dev/null || missing+=(postgresql) ;;
    node) command -v npm >/dev/null || missing+=(nodejs npm) ;;
    python) python3 -c 'import venv, ensurepip' 2>/dev/null || missing+=(python3 python3-venv) ;;
    chromium) command -v chromium >/dev/null || missing+=(chromium) ;;
  esac
done
[ ${#missing[@]} -eq 0 ] && exit 0

if [ "$(id -u)" -eq 0 ]; then run=(); elif sudo -n true 2>/dev/null; then run=(sudo); else
  echo "Missing Debian packages: ${missing[*]}. Install them as root: apt-get install ${missing[*]}" >&2
  exit 1
fi
echo "Installing Debian packages: ${missing[*]}"
# a fresh machine's own clusters are not wanted: the project starts its own
export DEBIAN_FRONTEND=noninteractive
"${run[@]}" mkdir -p /etc/postgresql-common
[ -e /etc/postgresql-common/createcluster.conf ] || echo 'create_main_cluster = false' | "${run[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
"${run[@]}" apt-get update -q >/dev/null
"${run[@]}" apt-get install -y -q --no-install-recommends "${missing[@]}" >/dev/null
