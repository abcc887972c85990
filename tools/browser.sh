#!/bin/sh
# Chromium for the browser tests, and Mesa to draw with: from Debian, by apt, where it is missing and we may.
command -v chromium >/dev/null 2>&1 && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "Installing Chromium for the browser tests ..."
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq >/dev/null && apt-get install -y -qq chromium >/dev/null && command -v chromium >/dev/null && {
    # Without it the browser draws by itself, in twice the time.
    apt-get install -y -qq libegl1 libegl-mesa0 libgles2 libgl1-mesa-dri >/dev/null || true
    exit 0
  }
fi
echo "The browser tests need Chromium. On Debian: apt install chromium" >&2
exit 1
