#!/usr/bin/env bash
# What the core's archive may ask of the outside: memory in constructors, the library's own failure of that, block
# copies, the exact square root and floor. No lock, no system call, no clock, no exception, no type information, no stream.
set -euo pipefail
archive=$1
nm=${2:-nm}
allowed='^(operator (new|delete)(\[\])?\(.*|std::__throw_(length_error|bad_array_new_length|bad_alloc)\(.*'
allowed+='|mem(set|cpy|move|cmp)|sqrt|floor|_GLOBAL_OFFSET_TABLE_)$'
# What one member of the archive asks of another is inside.
inside=$("$nm" -C --defined-only "$archive" | sed -nE 's/^[0-9a-f]+ [A-Za-z] //p' | sort -u)
asked=$("$nm" -uC "$archive" | sed -nE 's/^ +U //p' | sort -u)
outside=$(comm -23 <(printf '%s\n' "$asked") <(printf '%s\n' "$inside"))
[ -n "$asked" ] || { echo "no symbols read from $archive"; exit 1; }
wrong=$(printf '%s\n' "$outside" | grep -vE "$allowed" || true)
if [ -n "$wrong" ]; then
  printf 'The core asks for what it must not use:\n%s\n' "$wrong"
  exit 1
fi
echo "The core asks for:"
printf '%s\n' "$outside"
