#!/usr/bin/env bash
# Installs what tests, benchmarks and pictures use beside Node.js, from Debian's packages. Needs root.
set -euo pipefail
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
missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done

# Libraries of others that read bills of materials, in a folder of their own (Python's, at these versions).
readers=${EMBALLAGE_READERS:-$HOME/.cache/emballage-readers}
if [ ! -d "$readers/spdx_tools" ] || [ ! -d "$readers/cyclonedx" ]; then want_readers=1; else want_readers=0; fi
install_readers() {
  [ "$want_readers" = 1 ] || return 0
  echo "toolchains: installing libraries that read bills of materials into $readers"
  python3 -m pip install --quiet --disable-pip-version-check --root-user-action=ignore --target "$readers" \
    cyclonedx-python-lib==11.12.0 spdx-tools==0.8.5
}

# A runtime of .NET that a package of PyPI carries, for tests that call functions in it.
dotnet=${EMBALLAGE_DOTNET:-$HOME/.cache/emballage-dotnet}
install_dotnet() {
  [ "$(dpkg --print-architecture)" = amd64 ] && [ ! -x "$dotnet/dotnetcore2/bin/dotnet" ] || return 0
  echo "toolchains: installing a runtime of .NET into $dotnet"
  python3 -m pip install --quiet --disable-pip-version-check --root-user-action=ignore --no-deps --target "$dotnet" dotnetcore2==3.1.23
  chmod +x "$dotnet/dotnetcore2/bin/dotnet"
}

if [ ${#missing[@]} -eq 0 ]; then install_readers; install_dotnet; echo "toolchains: all here (${packages[*]})"; exit 0; fi
echo "toolchains: installing ${missing[*]}"
export DEBIAN_FRONTEND=noninteractive
dpkg --print-foreign-architectures | grep -qx "$other" || dpkg --add-architecture "$other"
apt-get update -qq
apt-get install -y -qq --no-install-recommends "${missing[@]}"
install_readers
install_dotnet
