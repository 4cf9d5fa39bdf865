import { ITEM, PAGE } from "@eremos/core";
import { ONE_AT_A_TIME } from "../calls/shapes/folders";
import { type HowStarted, MARK } from "./desktop";
import { LOCKED_EMBLEM } from "./item-type";

/**
 * An extension of a file manager, in the one language that they take. It decides nothing and knows no secret: it looks
 * at what lies readable on the disk, and hands addresses of what is selected to the command line by its standard input.
 * Source: the introspection of the file managers' own extension interfaces, which the three have in common.
 */
export function extension(module: string, body: string): string {
  return `"""${MARK}"""
import json
import os
import stat

from gi.repository import Gio, GObject, ${module} as Manager
${STANDING}${body}`;
}

/** A JSON text is a Python literal, but for what it calls true, false and null. */
function literal(value: readonly unknown[] | Readonly<Record<string, string>>): string {
  return JSON.stringify(value);
}

/** What stands there may be planted: nothing is waited for, no link is followed, and nothing is believed but words. */
const STANDING = `
ITEM = "${ITEM}"
SIGNS = (ITEM, "${PAGE}")
LONGEST = 1 << 20
MOST = 64


def read(directory, name):
    descriptor = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK, dir_fd=directory)
    with os.fdopen(descriptor, "rb") as opened:
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            return None
        record = json.loads(opened.read(LONGEST))
        return record if isinstance(record, dict) and isinstance(record.get("sequence"), int) else None


def record_of(folder):
    """What a protected folder says readable of its state, the newest of it; None of any other."""
    try:
        own = os.open(os.path.join(folder, ".eremos"), os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    except (OSError, ValueError):
        return None
    try:
        names = [name for name in os.listdir(own) if name.startswith("state-") and name.endswith(".json")]
        newest = None
        for name in names[:MOST]:
            try:
                record = read(own, name)
            except (OSError, ValueError, RecursionError):
                continue
            if record and (newest is None or record["sequence"] > newest["sequence"]):
                newest = record
        return newest
    except OSError:
        return None
    finally:
        os.close(own)


def standing_of(path):
    """plain, locked or open; what is none of them has no menu of ours."""
    parent, name = os.path.split(path)
    record = record_of(path) or (record_of(parent) if name in SIGNS else None)
    if record is None:
        return "plain"
    return {"sealed": "locked", "open": "open"}.get(record.get("state"))


def path_of(file):
    return file.get_location().get_path() if file.get_uri_scheme() == "file" else None
`;

export const MARKS = `

class EremosMarks(GObject.GObject, Manager.InfoProvider):
    def update_file_info(self, file):
        path = path_of(file)
        if path is None or not file.is_directory():
            return
        record = record_of(path)
        # One with a cover name is to look like any other.
        if record and record.get("state") == "sealed" and record.get("lockedName", "") is None:
            file.add_emblem("${LOCKED_EMBLEM.name}")
`;

/** What the menu offers: what is to be done, in which words, and for what it fits. */
export function menu({ command, environment }: HowStarted, offered: readonly (readonly unknown[])[]): string {
  return `
COMMAND = ${literal(command)}
SETTINGS = ${literal(environment)}
OFFERED = ${literal(offered)}
ONE_AT_A_TIME = ${literal(ONE_AT_A_TIME)}


def begin(_item, act, addresses):
    launcher = Gio.SubprocessLauncher.new(
        Gio.SubprocessFlags.STDIN_PIPE | Gio.SubprocessFlags.STDOUT_SILENCE | Gio.SubprocessFlags.STDERR_SILENCE
    )
    for name, value in SETTINGS.items():
        launcher.setenv(name, value, True)
    process = launcher.spawnv(COMMAND + ["menu", act, "-"])
    process.communicate_utf8_async("".join(address + "\\n" for address in addresses), None, None)


class EremosMenu(GObject.GObject, Manager.MenuProvider):
    def get_file_items(self, *given):
        return self.items("Eremos", given[-1])

    def get_background_items(self, *given):
        return self.items("EremosHere", [given[-1]])

    def items(self, prefix, files):
        paths = [path_of(file) for file in files]
        if not paths or None in paths:
            return []
        standings = {standing_of(path) for path in paths}
        addresses = [file.get_uri() for file in files]
        offered = [
            (act, name)
            for act, name, fits in OFFERED
            if standings <= set(fits) and (len(paths) == 1 or act not in ONE_AT_A_TIME)
        ]
        if not offered:
            return []
        top = Manager.MenuItem(name=prefix + "::Menu", label="Eremos", tip="", icon="")
        menu = Manager.Menu()
        top.set_submenu(menu)
        for act, name in offered:
            item = Manager.MenuItem(name=prefix + "::" + act, label=name, tip="", icon="")
            item.connect("activate", begin, act, addresses)
            menu.append_item(item)
        return [top]
`;
}
