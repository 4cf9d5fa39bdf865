#!/bin/sh
# Starts Eremos with the runtime that lies beside it, from wherever this directory lies.
set -eu
here=$(dirname -- "$(readlink -f -- "$0")")
node=$here/runtime/node

if [ ! -x "$node" ]; then
  # The file system it lies on lets nothing be executed, or keeps no right to: the runtime is started from the memory
  # that the system keeps for this log-in.
  copies=${XDG_RUNTIME_DIR:-}
  if [ -z "$copies" ] || [ ! -O "$copies" ]; then
    echo "eremos: Files can't be executed where Eremos lies ($here), and there is no place for a copy (XDG_RUNTIME_DIR is not set). Nothing was changed. Copy the whole directory to your home and start it there." >&2
    exit 1
  fi
  copy=$copies/eremos-%VERSION%
  if [ ! -x "$copy/node" ]; then
    mkdir -p -m 700 "$copy"
    cp -- "$node" "$copy/node.new"
    chmod 700 "$copy/node.new"
    mv -f -- "$copy/node.new" "$copy/node"
  fi
  node=$copy/node
  if ! "$node" -e 'process.dlopen({ exports: {} }, process.argv[1])' "$here/program/node_modules/better-sqlite3/build/Release/better_sqlite3.node" 2> /dev/null; then
    echo "eremos: The drive that Eremos lies on ($here) was mounted so that no program on it may run (noexec). Nothing was changed. Copy the whole directory to your home and start it there." >&2
    exit 1
  fi
fi

[ $# -gt 0 ] || set -- page
exec "$node" "$here/program/cli/bin/eremos.mjs" "$@"
