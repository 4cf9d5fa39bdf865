#!/bin/sh
set -e
%FUNCTIONS%
case "$1" in
  remove)
    rm -f "$lib/current" "$lib/current.new"
    remove_versions
    rmdir "$lib/versions" "$lib" 2> /dev/null || :
    if [ -d "$lib/versions" ]; then
      echo "Eremos still runs: the files of that version stay until 'apt purge eremos', or the next installation."
    fi
    ;;
  purge)
    rm -rf "$lib/versions" "$lib/current" "$lib/current.new"
    rmdir "$lib" 2> /dev/null || :
    if [ -d "$kept/reader" ]; then
      echo "What is locked stays locked; the reader that opens it without Eremos stays in $kept/reader."
    fi
    ;;
esac
