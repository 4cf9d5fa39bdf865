#!/bin/sh
# Starts the version of Eremos that was installed last; one that runs already goes on with its own files.
if ! version=$(cat /usr/lib/eremos/current 2> /dev/null); then
  echo "eremos: The package is not set up to its end. Nothing was touched; an administrator can end it with: dpkg --configure eremos" >&2
  exit 6
fi
exec "/usr/lib/eremos/versions/$version/eremos" "$@"
