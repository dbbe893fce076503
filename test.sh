#!/usr/bin/env bash
# Installs what is missing, builds with warnings as errors, and runs all tests.
set -euo pipefail
cd "$(dirname "$0")"
cmake/install_packages.sh build figures processes test
cmake --preset release -DZITHERCRAFT_TESTS=ON -DZITHERCRAFT_BENCHMARKS=OFF \
  -DZITHERCRAFT_EXAMPLES=ON > /dev/null
cmake --build --preset release
ctest --preset release -j "$(nproc)" "$@"
