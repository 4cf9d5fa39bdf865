#!/bin/sh
set -e
%FUNCTIONS%
[ "$1" = remove ] || exit 0

told=$(protected_here || :)
[ -n "$told" ] || exit 0
cat << END
Eremos protects, on this computer:
$told
Removing the package removes nothing of that: what is locked stays locked. It opens without Eremos by the reader that
stays in $kept/reader (a page for the browser, and a script), with each owner's password or recovery code.
END
if [ "${DEBIAN_FRONTEND:-}" != noninteractive ] && [ -t 0 ] && [ -t 1 ]; then
  printf 'Leave it like that and go on, or stop here, so that each owner can release what they want first (eremos release)? [leave/stop] '
  read -r answer || answer=
  case "$answer" in
    leave) ;;
    *)
      echo "Stopped. Nothing was changed."
      exit 1
      ;;
  esac
fi
mkdir -p "$kept"
rm -rf "$kept/reader"
cp -a "$lib/payload/program/rescue/dist" "$kept/reader"
