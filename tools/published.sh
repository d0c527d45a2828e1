#!/usr/bin/env bash
# The published schemas and the front end's types must be what the models say.
set -euo pipefail
fresh=$(mktemp -d)
trap 'rm -rf "$fresh"' EXIT
.venv/bin/cuvrel schemas "$fresh"
for name in recipe openapi; do
  cmp -s "$fresh/$name.json" "docs/schemas/$name.json" || {
    echo "docs/schemas/$name.json is not up to date: run '.venv/bin/cuvrel schemas' and 'npm run types' in frontend/." >&2
    exit 1
  }
done
