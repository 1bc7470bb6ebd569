#!/usr/bin/env bash
# Forgets all that the demo has kept.
set -euo pipefail

state=${KEEPSORT_STATE:-.state}
if [ -f "$state/postgres/elsewhere" ]; then
  elsewhere=$(cat "$state/postgres/elsewhere")
  case "$elsewhere" in
    /var/tmp/keepsort-*) rm -rf -- "$elsewhere" ;;
  esac
fi
rm -rf -- "$state"
echo "The demo starts over next time."
