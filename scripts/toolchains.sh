#!/usr/bin/env bash
# Installs what tests, benchmarks and pictures use beside Node.js, from Debian's packages. Needs root.
set -euo pipefail
packages=(git python3 python3-pip unzip zip time openjdk-17-jdk-headless)
if [ "${1:-}" = --pictures ]; then packages+=(xterm xvfb imagemagick fonts-dejavu); fi
missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
if [ ${#missing[@]} -eq 0 ]; then echo "toolchains: all here (${packages[*]})"; exit 0; fi
echo "toolchains: installing ${missing[*]}"
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
apt-get install -y -qq --no-install-recommends "${missing[@]}"
