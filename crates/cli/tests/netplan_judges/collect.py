"""Writes down what netplan's own tests give to it: python3 collect.py SOURCE

The tests of the generator hand texts to a method of their base class. Here that method, and all that asserts, is another:
nothing is generated, and each call becomes a line of JSON with the files of that call, by their names.
"""

import importlib
import json
import pathlib
import sys
import types
import unittest


class Words(str):
    """Stands for every constant of the tests; whatever is put into it, it stays what it is."""

    def __mod__(self, _):
        return self

    def replace(self, *_):
        return self


class Collecting(unittest.TestCase):
    """The base class of the tests, which keeps what it is given."""

    files = []

    def generate(self, yaml, expect_fail=False, extra_args=(), confs=None, **_):
        given = {}
        if yaml is not None:
            given["a.yaml"] = yaml
        for name, text in (confs or {}).items():
            given[name + ".yaml"] = text
        self.files.append({"test": self.id(), "files": given})
        return Words()

    def eth_name(self):
        return "eth42"

    def __getattr__(self, name):
        if name.startswith("assert"):
            return lambda *_, **__: None
        raise AttributeError(name)


for name in [name for name in dir(unittest.TestCase) if name.startswith("assert")]:
    setattr(Collecting, name, lambda *_, **__: None)


class Base(types.ModuleType):
    def __getattr__(self, name):
        return Collecting if name == "TestBase" else Words(name)


class Anything(types.ModuleType):
    """A module of which these tests need nothing that matters here."""

    def __getattr__(self, name):
        return Words(name)


source = pathlib.Path(sys.argv[1])
sys.dont_write_bytecode = True
sys.path.insert(0, str(source))
for name in ("yaml", "netplan", "tests"):
    sys.modules[name] = Anything(name)
package = types.ModuleType("tests.generator")
package.__path__ = [str(source / "tests" / "generator")]
sys.modules["tests.generator"] = package
sys.modules["tests.generator.base"] = Base("tests.generator.base")

failed = 0
for path in sorted((source / "tests" / "generator").glob("test_*.py")):
    module = importlib.import_module("tests.generator." + path.stem)
    for case in unittest.defaultTestLoader.loadTestsFromModule(module):
        for test in case:
            result = unittest.TestResult()
            test.run(result)
            failed += len(result.errors) + len(result.failures)
for case in Collecting.files:
    if case["files"]:
        print(json.dumps(case))
print(f"{len(Collecting.files)} calls, {failed} tests ended early", file=sys.stderr)
