#!/usr/bin/env bash
# Whether the code builds for other platforms than this one, without a warning. What cannot be checked here is said.
#
#   tools/platforms.sh [--quick|--tests]
#
#   --quick     what builds without a compiler for C, once for each kind of system
#   --tests     the tests are run, too: the library's in 32 bits, those of the sources and the command on Windows, under Wine
#
# Needs `rustup target add` for each target; for Windows also a C compiler (Debian's gcc-mingw-w64-x86-64), and for the tests Wine
# (wine64) and C libraries of 32 bits (gcc-multilib).
set -euo pipefail
cd "$(dirname "$0")/.."
windows=x86_64-pc-windows-gnu
bits32=i686-unknown-linux-gnu
export CARGO_TARGET_DIR="$PWD/target/platforms"

has() {
  rustup target list --installed 2> /dev/null | grep --quiet --line-regexp "$1" && return
  echo "not checked for $1: rustup target add $1"
  return 1
}
has_command() {
  command -v "$1" > /dev/null && return
  echo "not checked: $2 (no $1)"
  return 1
}

libraries=(wasm32-unknown-unknown $bits32)
files=(x86_64-apple-darwin aarch64-apple-ios aarch64-linux-android)
if [ "${1:-}" = --quick ]; then
  libraries=(wasm32-unknown-unknown)
  files=(x86_64-apple-darwin $windows)
fi

# These have no threads, or pointers of 32 bits.
for target in "${libraries[@]}"; do
  if has $target; then
    cargo clippy --package usual-tide --features record,locale,stream --target $target --quiet -- -D warnings
  fi
done
# Here the libraries in C are not built.
for target in "${files[@]}"; do
  if has $target; then
    cargo clippy --package usual-tide-sources --no-default-features --features files --target $target --quiet -- -D warnings
  fi
done
[ "${1:-}" != --quick ] || exit 0
if has $windows && has_command x86_64-w64-mingw32-gcc "Windows"; then
  cargo clippy --package usual-tide-sources --package usual-tide-cli --all-targets --all-features --target $windows --quiet -- -D warnings
fi
[ "${1:-}" = --tests ] || exit 0

if has $bits32; then
  # Tests run the examples.
  cargo build --package usual-tide --all-features --target $bits32 --examples
  cargo test --package usual-tide --all-features --target $bits32 --lib --tests
fi
if has $windows && has_command x86_64-w64-mingw32-gcc "Windows" && has_command wine "the tests on Windows"; then
  export WINEPREFIX="$CARGO_TARGET_DIR/wine" WINEDEBUG=-all
  wine wineboot --init > /dev/null 2>&1
  # Old versions of Wine lack one library that every program in Rust asks for random numbers.
  system="$WINEPREFIX/drive_c/windows/system32"
  if [ ! -e "$system/bcryptprimitives.dll" ]; then
    x86_64-w64-mingw32-gcc -shared -o "$system/bcryptprimitives.dll" -x c - -x none -ladvapi32 <<'C'
#include <windows.h>
BOOLEAN NTAPI SystemFunction036(PVOID, ULONG);
__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE bytes, SIZE_T count) { return SystemFunction036(bytes, (ULONG) count); }
C
  fi
  export CARGO_TARGET_X86_64_PC_WINDOWS_GNU_RUNNER=wine
  cargo build --package usual-tide-sources --all-features --target $windows --examples
  cargo test --package usual-tide-sources --all-features --target $windows --lib --tests
  # There is no browser, and no terminal.
  cargo test --package usual-tide-cli --all-features --target $windows --test command -- --skip page:: --skip web::
fi
