"""The house keeps its shape: the architecture page, the lock file, the pictures."""

import ast
import re
import unittest
from pathlib import Path

import keenkettle

ROOT = Path(__file__).parent.parent
SOURCE = Path(keenkettle.__file__).parent


class HouseTest(unittest.TestCase):
    def test_the_architecture_page_names_every_package(self):
        page = (ROOT / "docs" / "architecture.md").read_text()
        named = set(re.findall(r"^\| `(\w+)` \|", page, re.M))
        there = {p.name for p in SOURCE.iterdir() if (p / "__init__.py").exists()} | {"cli"}
        self.assertEqual(named, there)

    def test_only_the_interface_imports_qt(self):
        for path in SOURCE.rglob("*.py"):
            if "ui" not in path.relative_to(SOURCE).parts:
                self.assertNotRegex(path.read_text(), r"import PyQt6|from PyQt6", str(path))

    def test_the_lock_file_pins_and_names_no_host(self):
        lines = [
            line
            for line in (ROOT / "requirements.lock").read_text().splitlines()
            if line and not line.startswith("#")
        ]
        for line in lines:
            self.assertRegex(line, r"^[\w.-]+==[\w.]+$")

    def test_every_public_function_of_the_core_says_what_it_does(self):
        for path in SOURCE.rglob("*.py"):
            top = ast.parse(path.read_text()).body
            classes = [n for n in top if isinstance(n, ast.ClassDef) and n.name[0] != "_"]
            members = [m for node in classes for m in node.body]
            for node in [*top, *members]:
                if (
                    isinstance(node, ast.FunctionDef | ast.ClassDef)
                    and not node.name.startswith("_")
                    and "ui" not in path.parts
                ):
                    self.assertTrue(ast.get_docstring(node), f"{path.name}: {node.name}")
