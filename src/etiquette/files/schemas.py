"""Write the JSON Schemas of the file contracts: python -m etiquette.files.schemas DIRECTORY"""

import json
import sys
from pathlib import Path

from pydantic import BaseModel

from etiquette.files.contracts import FitFile, LayoutFile, MarksFile, ProblemFile
from etiquette.files.fields_file import FieldsFile
from etiquette.files.job_file import JobFile
from etiquette.files.line_rules import RulesFile
from etiquette.files.recipe_file import RecipeFile
from etiquette.files.run_file import RunFile
from etiquette.files.shelf_file import ShelfFile
from etiquette.files.tool_cards import ToolsFile
from etiquette.files.web_file import WebFile

FILES: dict[str, type[BaseModel]] = {
    "PROBLEM": ProblemFile,
    "LAYOUT": LayoutFile,
    "MARKS": MarksFile,
    "FIT": FitFile,
    "TOOLS": ToolsFile,
    "RULES": RulesFile,
    "RUN": RunFile,
    "SHELF": ShelfFile,
    "RECIPE": RecipeFile,
    "JOB": JobFile,
    "WEB": WebFile,
    "FIELDS": FieldsFile,
}


def schema_text(name: str) -> str:
    """The JSON Schema of one exchange format, as it lies in docs/schemas."""
    return json.dumps(FILES[name].model_json_schema(by_alias=True), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    for each in FILES:
        (target / f"{each}.schema.json").write_text(schema_text(each))
