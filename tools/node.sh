#!/bin/sh
# One clear line where Node is missing or too old.
if ! command -v node >/dev/null 2>&1 || ! command -v npm >/dev/null 2>&1; then
  echo "Limus needs Node 20 or newer with npm to build its interface, and found none. Install it and run the command again." >&2
  exit 1
fi
major=$(node -p 'process.versions.node.split(".")[0]')
if [ "$major" -lt 20 ]; then
  echo "Limus needs Node 20 or newer and found $(node --version). Install a newer one and run the command again." >&2
  exit 1
fi
echo "Installing packages of the interface ..."
