#!/usr/bin/env bash
# expect.sh EXPECTED COMMAND...: runs a command and holds its output against a file. GYRAX_REFRESH=1 writes the file.
set -euo pipefail
expected=$1
shift
actual=$("$@")
if [ "${GYRAX_REFRESH:-}" = 1 ]; then
  printf '%s\n' "$actual" >"$expected"
fi
diff -u "$expected" <(printf '%s\n' "$actual")
