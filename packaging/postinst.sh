#!/bin/sh
set -e
%FUNCTIONS%
[ "$1" = configure ] || [ "$1" = abort-remove ] || [ "$1" = abort-upgrade ] || exit 0

version=%VERSION%
new=$lib/versions/$version
mkdir -p "$lib/versions"
if [ -d "$new" ]; then
  # The same version again: each file anew, one after the other.
  cp -alf "$lib/payload/." "$new/" 2> /dev/null || cp -af "$lib/payload/." "$new/"
else
  rm -rf "$new.new"
  cp -al "$lib/payload" "$new.new" 2> /dev/null || { rm -rf "$new.new"; cp -a "$lib/payload" "$new.new"; }
  mv "$new.new" "$new"
fi
printf '%s\n' "$version" > "$lib/current.new"
mv -f "$lib/current.new" "$lib/current"
remove_versions "$version"
rm -rf "$kept"
