#!/bin/sh
# Makes sure the system libraries that pip cannot bring are there:
#   pdf      Pango, which lays out the packing slips and pick lists, and HarfBuzz, which takes the letters from fonts
#   servers  PostgreSQL and Redis, for the tests on servers, which are skipped without them
#   browser  Debian's Chromium, for the browser tests and the screenshots
# Installs what is missing where that is allowed (root on Debian or Ubuntu); says plainly where it is not.
set -u
missing=""
for want in "$@"; do
  case "$want" in
    pdf)
      ldconfig -p 2>/dev/null | grep -q libpangoft2-1.0 || missing="$missing libpango-1.0-0 libpangoft2-1.0-0"
      ldconfig -p 2>/dev/null | grep -q libharfbuzz-subset || missing="$missing libharfbuzz-subset0" ;;
    servers)
      ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing="$missing postgresql"
      command -v redis-server >/dev/null 2>&1 || missing="$missing redis-server" ;;
    browser) command -v chromium >/dev/null 2>&1 || missing="$missing chromium" ;;
  esac
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "Installing system libraries:$missing"
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq $missing >/dev/null && exit 0
  echo "The system libraries could not be installed:$missing"
else
  echo "These system libraries are missing and this account may not install them:$missing"
  echo "Ask an administrator for: apt-get install$missing"
fi
# The demo runs without them (PDFs then say what is missing); the tests do not.
case " $* " in *" browser "*) exit 1 ;; *) exit 0 ;; esac
