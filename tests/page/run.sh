#!/bin/sh
# One file of tests of interactive pages; 77 when there is nothing to drive a browser with.
cd "$(dirname "$0")" || exit 1
if ! command -v node >/dev/null || [ ! -d ../../build/tools/page/node_modules ] || [ ! -x /usr/bin/chromium ]; then
  echo "there is no browser, or nothing to drive it with"
  exit 77
fi
exec node --test --test-reporter=spec "$1"
