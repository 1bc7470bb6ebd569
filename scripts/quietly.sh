#!/bin/sh
# Says what takes a while, and shows what a tool has printed only if it fails.
echo "$1…"
shift
log=$(mktemp)
if "$@" >"$log" 2>&1; then
  rm -f "$log"
else
  code=$?
  cat "$log" >&2
  rm -f "$log"
  exit "$code"
fi
