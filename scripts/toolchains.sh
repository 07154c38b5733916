#!/usr/bin/env bash
# Installs what tests, benchmarks and pictures use beside Node.js, from the packages of Debian and of Python's index. Needs
# root. What cannot be had on this machine is left out by name, with the reason; the rest is installed all the same.
set -uo pipefail
packages=(git python3 python3-pip unzip zip time openjdk-17-jdk-headless)
# Native code, for both processors: compilers, standard libraries, and what runs programs for the other one.
case "$(dpkg --print-architecture)" in
  amd64) other=arm64; cross=(gcc-aarch64-linux-gnu g++-aarch64-linux-gnu) ;;
  arm64) other=amd64; cross=(gcc-x86-64-linux-gnu g++-x86-64-linux-gnu) ;;
  *) echo "toolchains: only amd64 and arm64 are known here" >&2; exit 1 ;;
esac
packages+=(gcc g++ libc6-dev binutils "${cross[@]}" qemu-user-static rustc cargo "libstd-rust-dev:$other")
# A registry server for images, as others run it.
packages+=(docker-registry apache2-utils curl)
# A web server with its DAV module.
packages+=(apache2-bin)
# What fakes the time, and what gives a program a host name, a user and a processor of its own.
packages+=(libfaketime util-linux)
# A browser, for the pages that the program writes.
packages+=(chromium)
# A proxy, and what makes a certificate for the server behind it.
packages+=(tinyproxy-bin openssl)
# What verifies signatures of SSH.
packages+=(openssh-client)
# What compiles and lists assemblies of the Common Language Infrastructure.
packages+=(mono-mcs mono-utils)
# Shells that complete, and what reads the manual page.
packages+=(fish zsh man-db)
command -v go >/dev/null || packages+=(golang-go)
if [ "${1:-}" = --pictures ]; then packages+=(xterm xvfb imagemagick fonts-dejavu); fi

# What could not be had: a name, a tab and the reason, a line each. Tests that want it are excused by this list alone.
list=${EMBALLAGE_LEFT_OUT:-$HOME/.cache/emballage-left-out}
mkdir -p "$(dirname "$list")"
: >"$list"
said=$(mktemp)
trap 'rm -f "$said"' EXIT

# Runs a command quietly; where it fails, what it said last is why something is left out.
try() {
  local name=$1
  shift
  "$@" >"$said" 2>&1 && return 0
  local reason
  reason=$(grep -E '^(E:|ERROR:|error:)' "$said" | tail -n 1)
  [ -n "$reason" ] || reason=$(tail -n 1 "$said")
  printf '%s\t%s\n' "$name" "${reason:-it failed without a word}" >>"$list"
  return 1
}

is_installed() {
  dpkg-query -W -f '${Status}' "$1" 2>/dev/null | grep -q 'ok installed'
}

install_packages() {
  local missing=() package
  for package in "${packages[@]}"; do is_installed "$package" || missing+=("$package"); done
  [ ${#missing[@]} -gt 0 ] || return 0
  echo "toolchains: installing ${missing[*]}"
  export DEBIAN_FRONTEND=noninteractive
  dpkg --print-foreign-architectures | grep -qx "$other" || dpkg --add-architecture "$other"
  # Lists that are here already may do.
  apt-get update -qq >"$said" 2>&1 || echo "toolchains: lists of packages are not up to date: $(tail -n 1 "$said")" >&2
  apt-get install -y -qq --no-install-recommends "${missing[@]}" >"$said" 2>&1 && return 0
  # One that is not to be had must not keep the others away.
  for package in "${missing[@]}"; do
    try "$package" apt-get install -y -qq --no-install-recommends "$package" || true
  done
}

# A folder with packages of Python's index, at these versions, whole or not at all.
from_index() {
  local name=$1 folder=$2
  shift 2
  rm -rf "$folder.part"
  echo "toolchains: installing $name into $folder"
  try "$name" python3 -m pip install --quiet --disable-pip-version-check --root-user-action=ignore --target "$folder.part" "$@" || return 0
  rm -rf "$folder"
  mv "$folder.part" "$folder"
}

# Libraries of others that read bills of materials.
install_readers() {
  local readers=${EMBALLAGE_READERS:-$HOME/.cache/emballage-readers}
  if [ -d "$readers/spdx_tools" ] && [ -d "$readers/cyclonedx" ]; then return 0; fi
  from_index 'bill readers' "$readers" cyclonedx-python-lib==11.12.0 spdx-tools==0.8.5
}

# A runtime of .NET that a package of Python's index carries, for tests that call functions in it.
install_dotnet() {
  local folder=${EMBALLAGE_DOTNET:-$HOME/.cache/emballage-dotnet}
  if [ -x "$folder/dotnetcore2/bin/dotnet" ]; then return 0; fi
  if command -v dotnet >/dev/null && dotnet --list-runtimes | grep -q '^Microsoft.NETCore.App '; then return 0; fi
  if [ "$(dpkg --print-architecture)" != amd64 ]; then
    printf 'dotnetcore2\tthere is none for this processor\n' >>"$list"
    return 0
  fi
  from_index dotnetcore2 "$folder" --no-deps dotnetcore2==3.1.23
  if [ -f "$folder/dotnetcore2/bin/dotnet" ]; then chmod +x "$folder/dotnetcore2/bin/dotnet"; fi
}

install_packages
install_readers
install_dotnet
if [ ! -s "$list" ]; then
  echo "toolchains: all here (${packages[*]})"
  exit 0
fi
echo "toolchains: left out, since this machine cannot have it"
while IFS=$'\t' read -r name reason; do echo "  $name: $reason"; done <"$list"
