"""The rooms of the house: what import-linter cannot say."""

import ast
from pathlib import Path

from fastapi.routing import APIRoute

import etiquette
from etiquette.server import dependencies
from etiquette.server.app import ROUTES, create_app

SOURCE = Path(etiquette.__file__).parent
STATIONS = ("floor", "lines", "run", "print", "bench", "shelf")


def imports_of(file: Path) -> list[tuple[str, str]]:
    """(module, name) of everything that a file imports, also inside functions."""
    found = []
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            found += [(node.module, alias.name) for alias in node.names]
        elif isinstance(node, ast.Import):
            found += [(alias.name, "") for alias in node.names]
    return found


def defined_in(module: str) -> set[str]:
    file = SOURCE.parent / Path(*module.split(".")).with_suffix(".py")
    names: set[str] = set()
    for node in ast.parse(file.read_text()).body:
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            names.add(node.name)
        elif isinstance(node, ast.Assign):
            names |= {target.id for target in node.targets if isinstance(target, ast.Name)}
        elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
            names.add(node.target.id)
    return names


def test_only_routes_and_the_server_know_of_http() -> None:
    for file in SOURCE.rglob("*.py"):
        if file.parent.name == "server" or file.name.endswith("api.py"):
            continue
        assert not [module for module, _ in imports_of(file) if module.split(".")[0] in ("fastapi", "starlette")], file


def test_routes_reach_the_store_only_through_their_station() -> None:
    """Neither by importing it nor by a name that a station happens to import."""
    for file in SOURCE.rglob("*api.py"):
        for module, name in imports_of(file):
            if not module.startswith("etiquette."):
                continue
            assert not module.startswith("etiquette.store.models") and module != "etiquette.store", (file, module)
            target = SOURCE.parent / Path(*module.split(".")).with_suffix(".py")
            if target.exists() and module.startswith("etiquette.stations"):
                assert name in defined_in(module), (file, module, name)


def test_what_stations_share_imports_no_station() -> None:
    for file in (SOURCE / "stations").glob("*.py"):
        for module, name in imports_of(file):
            assert module.split(".")[2:3] not in [[room] for room in STATIONS], (file, module)
            assert module != "etiquette.stations" or name not in STATIONS, (file, name)


def test_every_route_declares_the_right_it_needs() -> None:
    routes = [route for module in ROUTES for route in module.router.routes if isinstance(route, APIRoute)]
    assert {route.path_format for route in routes} == set(create_app(None).openapi()["paths"])  # there are no others
    for route in routes:
        assert any(isinstance(one.call, dependencies.Needs) for one in route.dependant.dependencies), route.path
