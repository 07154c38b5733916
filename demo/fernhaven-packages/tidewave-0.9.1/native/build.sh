#!/bin/sh
# Compiles the library for both architectures; the results are kept, so that the demo needs no compiler.
set -e
cd "$(dirname "$0")"
flags='-Os -shared -fPIC -nostdlib -s -Wl,--build-id=none,-z,max-page-size=4096,-z,noseparate-code -ffile-prefix-map=.='
gcc $flags -o ../platform/x86_64/tidewave/libtidewave.so tidewave.c
aarch64-linux-gnu-gcc $flags -o ../platform/arm64/tidewave/libtidewave.so tidewave.c
