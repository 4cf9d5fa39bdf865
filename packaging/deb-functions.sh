# Shared by the package's own scripts. Versions lie side by side: what the package brings stands in payload/, and is
# linked, file by file, into versions/NUMBER/, from where it runs; so that an upgrade takes no file from what runs.
lib=/usr/lib/eremos
kept=/var/lib/eremos

in_use() {
  [ -d /proc/self ] || return 0
  for exe in /proc/[0-9]*/exe; do
    case "$(readlink "$exe" 2> /dev/null || :)" in "$1"/*) return 0 ;; esac
  done
  return 1
}

remove_versions() {
  for directory in "$lib"/versions/*; do
    [ -d "$directory" ] || continue
    [ "$directory" != "$lib/versions/${1:-}" ] || continue
    in_use "$directory" || rm -rf -- "$directory"
  done
}

# A line for each account of this computer that has data of Eremos: its name, and what is protected, asked as that account.
protected_here() {
  getent passwd | while IFS=: read -r account _ uid _ _ home _; do
    [ "$uid" -ge 1000 ] || [ "$uid" -eq 0 ] || continue
    [ -d "$home/.local/share/eremos" ] || continue
    told=$(runuser -u "$account" -- env HOME="$home" XDG_DATA_HOME= EREMOS_DATA= /usr/bin/eremos status 2> /dev/null | tail -n 1) || continue
    case "$told" in "" | Nothing*) ;; *) printf '%s: %s\n' "$account" "$told" ;; esac
  done
}
