"""What import-linter is to hold besides its own contracts: a room is entered through its face."""

import grimp
from importlinter import Contract, ContractCheck, fields, output


class FaceContract(Contract):
    """From outside a room only the room itself (its `__init__`) is imported, never a module in it.

    `rooms` are packages. A module belongs to the innermost room that holds it; a room inside another is outside of that
    one's modules but may use those beside it, on which both stand.
    """

    type_name = "face"

    rooms = fields.ListField(subfield=fields.StringField())

    def check(self, graph: grimp.ImportGraph, verbose: bool) -> ContractCheck:  # noqa: ARG002
        rooms = sorted(self.rooms, key=len, reverse=True)  # type: ignore[call-overload]

        def room_of(module: str) -> str:
            return next((room for room in rooms if module == room or module.startswith(f"{room}.")), module)

        past = [
            f"{importer} -> {imported}"
            for importer in sorted(graph.modules)
            for imported in sorted(graph.find_modules_directly_imported_by(importer))
            if room_of(imported) not in (imported, room_of(importer))
            and not importer.startswith(f"{room_of(imported)}.")
        ]
        return ContractCheck(kept=not past, metadata={"past": past})

    def render_broken_contract(self, check: ContractCheck) -> None:
        for line in check.metadata["past"]:
            output.print_error(f"- {line} passes the face of its room")
