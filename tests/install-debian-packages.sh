#!/bin/sh
# Installs what the tests use, where it is missing and this is root.
set -eu
list="$(dirname "$0")/debian-packages.txt"
missing=""
for package in $(cat "$list"); do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
done
[ -n "$missing" ] || exit 0
if [ "$(id -u)" != 0 ]; then
  echo "The tests need these Debian packages:$missing" >&2
  echo "Install them, or run make test as root." >&2
  exit 1
fi
# A server that Debian starts by itself is not wanted: the tests start their own.
policy=/usr/sbin/policy-rc.d
made=""
if [ ! -e "$policy" ]; then
  printf '#!/bin/sh\nexit 101\n' > "$policy" && chmod +x "$policy" && made=yes
fi
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
# shellcheck disable=SC2086
apt-get install -y -qq --no-install-recommends $missing > /dev/null
[ -z "$made" ] || rm -f "$policy"
