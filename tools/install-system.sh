#!/usr/bin/env bash
# Installs what Ambrosa needs from Debian, where it is missing. "build" is what
# building and the demo need, "test" what the checks need beside it, "bench"
# the tools to compare with.
set -u
packages() {
  case "$1" in
    build) echo "postgresql libvips-dev pkg-config gcc libc6-dev" ;;
    test) echo "chromium fonts-dejavu-core zip unzip p7zip-full libvips-tools litmus libimage-exiftool-perl zint zbar-tools miller libreoffice-calc-nogui jdupes rdfind" ;;
    bench) echo "rclone" ;;
  esac
}
missing=()
for package in $(packages "$1"); do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0
echo "Installing from Debian: ${missing[*]}"
as_root=()
if [ "$(id -u)" -ne 0 ]; then
  if ! command -v sudo >/dev/null; then
    echo "These packages are missing, and this user may not install them. As root, run:" >&2
    echo "  apt-get update && apt-get install --no-install-recommends ${missing[*]}" >&2
    exit 1
  fi
  as_root=(sudo)
fi
log=$(mktemp)
export DEBIAN_FRONTEND=noninteractive
# No server is started by the installation: Ambrosa starts one of its own.
install() { "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}" >"$log" 2>&1; }
if ! install; then
  "${as_root[@]}" apt-get update -q >>"$log" 2>&1
  if ! install; then
    tail -n 15 "$log" >&2
    echo "The packages could not be installed: ${missing[*]}. The lines above say why; the whole log is $log." >&2
    exit 1
  fi
fi
rm -f "$log"
