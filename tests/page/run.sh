#!/bin/sh
# Runs one file of tests of interactive pages. Without a browser: status 77 (skipped), in CI a failure.
cd "$(dirname "$0")" || exit 1
if ! command -v node >/dev/null || [ ! -d ../../build/tools/page/node_modules ] || [ ! -x /usr/bin/chromium ]; then
  echo "Chromium, Node.js or the packages in build/tools/page are missing: ./dev test installs them"
  [ -n "$CI" ] && exit 1
  exit 77
fi
exec node --test --test-reporter=spec "$1"
