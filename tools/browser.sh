#!/bin/sh
# Chromium for the browser tests: from Debian, by apt, where it is missing and we may.
command -v chromium >/dev/null 2>&1 && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "Installing Chromium for the browser tests ..."
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq >/dev/null && apt-get install -y -qq chromium >/dev/null && command -v chromium >/dev/null && exit 0
fi
echo "The browser tests need Chromium. On Debian: apt install chromium" >&2
exit 1
