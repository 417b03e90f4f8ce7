#!/usr/bin/env bash
# Every C++ file is as clang-format has it; `clang-format -i FILE` mends one. 77: skipped.
set -euo pipefail
command -v clang-format >/dev/null || { echo "SKIPPED: no clang-format"; exit 77; }
find include src tool tests examples demo bench firmware -name '*.cpp' -o -name '*.hpp' -o -path 'firmware*.[ch]' -o -path 'examples/*.c' |
  xargs clang-format --dry-run -Werror
