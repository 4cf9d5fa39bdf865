"""Loads the extensions in a directory as a file manager does: by its own interface, with files that answer as its own do.

Words: the directory, what is chosen of what is offered or nothing, and the paths of what is selected.
"""
import json
import os
import sys

import gi

gi.require_version("Nautilus", "4.0")
from gi.repository import Gio, GLib

directory, chosen, *paths = sys.argv[1:]
sys.path.insert(0, directory)
sys.dont_write_bytecode = False
import eremos_marks
import eremos_menu


class File:
    def __init__(self, path):
        self.path = path
        self.location = Gio.File.new_for_path(path)
        self.emblems = []

    def get_location(self):
        return self.location

    def get_uri(self):
        return self.location.get_uri()

    def get_uri_scheme(self):
        return self.location.get_uri_scheme()

    def is_directory(self):
        return os.path.isdir(self.path)

    def add_emblem(self, name):
        self.emblems.append(name)


files = [File(path) for path in paths]
items = [item for top in eremos_menu.EremosMenu().get_file_items(files) for item in top.props.menu.get_items()]
marks = eremos_marks.EremosMarks()
for file in files:
    marks.update_file_info(file)
for item in items:
    if item.props.label == chosen:
        item.activate()
        # What was begun is a child of this process.
        loop = GLib.MainLoop()
        GLib.timeout_add(50, lambda: any(os.path.exists(path) for path in paths) or loop.quit())
        loop.run()
json.dump(
    {
        "offered": [item.props.label for item in items],
        "marks": [file.path for file in files if file.emblems == ["eremos-locked"]],
    },
    sys.stdout,
)
