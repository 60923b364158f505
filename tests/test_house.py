"""How the house is built: no circles of imports, not even for type checking; files and functions of a size that is read at once."""

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import foldbasket

ROOT = Path(foldbasket.__file__).parent


def modules():
    """Every module of the program by its dotted name."""
    found = {}
    for path in ROOT.rglob("*.py"):
        parts = path.relative_to(ROOT.parent).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def imports_of(path, known, functions=False):
    """The modules of the program that one imports when it is imported, or for type checking."""
    tree = ast.parse(path.read_text("utf-8"))
    found = set()

    def look(node):
        for inner in ast.iter_child_nodes(node):
            if isinstance(inner, ast.Import):
                found.update(alias.name for alias in inner.names if alias.name in known)
            elif isinstance(inner, ast.ImportFrom) and inner.module is not None:
                for alias in inner.names:
                    whole = f"{inner.module}.{alias.name}"
                    found.add(whole if whole in known else inner.module)
            elif functions or not isinstance(inner, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
                look(inner)

    look(tree)
    return {each for each in found if each in known}


def test_imports_make_no_circle_not_even_those_for_type_checking():
    known = modules()
    graph = {name: imports_of(path, known) - {name} for name, path in known.items()}
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        raise AssertionError(" → ".join(error.args[1])) from None


LISTS = {"style_sheet", "demo_folds", "_trade"}
"""Functions that only list: the window's style, the demo's folds, how its trade is drawn."""


def test_every_function_fits_a_screen():
    long = [
        f"{name}.{node.name}: {node.end_lineno - node.lineno + 1} lines"
        for name, path in modules().items()
        for node in ast.walk(ast.parse(path.read_text("utf-8")))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and node.end_lineno - node.lineno >= 60
        and node.name not in LISTS
    ]
    assert long == []


MOST_LINES = 400


def test_every_file_holds_one_idea_or_says_why_it_is_long():
    for name, path in modules().items():
        text = path.read_text("utf-8")
        said = ast.get_docstring(ast.parse(text)) or ""
        assert said, f"{name} does not say what it is for"
        assert text.count("\n") <= MOST_LINES or "in one file because" in said.lower(), (
            f"{name} is long and does not say why"
        )


def test_tests_read_no_private_state():
    """Neither attributes with a leading underscore, except of what a test itself defines, nor such names of modules."""
    found = []
    for path in Path(__file__).parent.rglob("*.py"):
        tree = ast.parse(path.read_text("utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.Attribute) and node.attr.startswith("_") and not node.attr.startswith("__"):
                owner = node.value.id if isinstance(node.value, ast.Name) else ""
                if owner not in ("self", "cls", "os", "sys") and node.attr not in ("_replace", "_asdict"):
                    found.append(f"{path.name}:{node.lineno} {owner}.{node.attr}")
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("foldbasket"):
                found += [
                    f"{path.name}:{node.lineno} {each.name}"
                    for each in node.names
                    if each.name.startswith("_") and not each.name.startswith("__")
                ]
    assert found == []


def test_no_inner_function_calls_itself():
    """It would be a circle, which keeps all that it sees, such as a report's cells, until garbage is looked for."""
    found = [
        f"{name}:{inner.lineno} {inner.name}"
        for name, path in modules().items()
        for outer in ast.walk(ast.parse(path.read_text("utf-8")))
        if isinstance(outer, ast.FunctionDef)
        for inner in ast.walk(outer)
        if isinstance(inner, ast.FunctionDef) and inner is not outer and _names(inner, inner.name)
    ]
    assert found == []


def _names(inside, name):
    return any(isinstance(node, ast.Name) and node.id == name for node in ast.walk(inside))
