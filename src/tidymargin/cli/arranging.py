"""Scenes without a browser."""

import json
from contextlib import closing
from pathlib import Path

import click

from tidymargin.cli.telling import read_input, told
from tidymargin.core.base.errors import UnusableArgumentError
from tidymargin.formats.limits import MAX_FILE_BYTES

_KINDS = {"png": "png", "jpg": "jpeg", "jpeg": "jpeg", "webp": "webp", "avif": "avif", "pdf": "pdf", "ora": "ora", "svg": "svg"}  # fmt: skip
_MOST_SCENE_BYTES = 4 * 1024 * 1024


@click.command()
@click.argument("scene", type=click.Path(path_type=Path), required=False)
@click.option(
    "-o",
    "--output",
    help="Where to write: a file ending in .png, .jpg, .webp, .avif, .pdf, .ora or .svg.",
)
@click.option("--schema", is_flag=True, help="Print the JSON Schema of scene files.")
@click.option(
    "--replace", is_flag=True, help="Allow a file to be replaced, but never one that is read."
)
@told
def scene(scene: Path | None, output: str | None, schema: bool, replace: bool) -> None:
    """Arrange cuts on a base as a scene file says, and write the result."""
    from tidymargin.cli.outputs import Outputs
    from tidymargin.formats.scene_file import Scene, read_scene
    from tidymargin.services.picture.reading import Readers
    from tidymargin.services.picture.scenes import open_scene, render_scene

    if schema:
        click.echo(json.dumps(Scene.model_json_schema(), indent=1))
        return
    if scene is None or output is None:
        raise UnusableArgumentError("Expected a scene and an output: tidy scene SCENE.json -o OUT.png.")  # fmt: skip
    kind = _KINDS.get(Path(output).suffix.lower().lstrip("."))
    if kind is None:
        raise UnusableArgumentError(
            f"Expected an output ending in {', '.join(f'.{ending}' for ending in _KINDS)}, got {output}."
        )
    said = read_scene(read_input(scene, _MOST_SCENE_BYTES))
    folder = scene.resolve().parent
    beside = [folder / path for cut in said.cuts for path in (cut.picture, cut.recipe) if path]
    if said.base_picture is not None:
        beside.append(folder / said.base_picture)
    outputs = Outputs((scene, *beside), replace=replace)
    place = outputs.claim(Path(output))

    def read(path: str) -> bytes:
        found = (folder / path).resolve()
        if not found.is_relative_to(folder):
            raise UnusableArgumentError(f"{path} leads out of the folder of the scene.", hint="Copy it beside the scene.")  # fmt: skip
        return read_input(found, MAX_FILE_BYTES)

    with closing(Readers()) as readers:
        opened = open_scene(said, read, readers.decode)
        data = render_scene(opened.scene, kind, opened.dots_per_inch)
    outputs.write(place, data)
    base = opened.scene.base
    click.echo(f"{place.name}: {len(said.cuts)} cuts on {base.width} × {base.height} px")
    for name, scale in opened.enlarged:
        click.echo(
            f"- {name} is shown at {100 * scale:g} % of its own pixels, and is softer for it"
        )
