"""What the core reads itself, since it says more exactly what is wrong: values of the API whose description comes from the core's types."""

from typing import Any, get_args

from drf_spectacular.extensions import OpenApiSerializerFieldExtension
from drf_spectacular.plumbing import ResolvedComponent
from pydantic import TypeAdapter
from rest_framework import serializers

from yuplet.editing.commands import CODEC
from yuplet.editing.mending import Reach
from yuplet.parts.part import Role
from yuplet.selecting.gestures import Edge, Gestures, edge_from_json, gestures_from_json
from yuplet.selecting.masks import How

ROLES, WAYS_TO_COMBINE, WAYS_TO_REACH = get_args(Role), get_args(How), get_args(Reach)
"""Choices that are described under names of their own."""
REFERENCE = "#/components/schemas/{model}"


class CommandField(serializers.Field[Any, Any, Any, Any]):
    """A command: an object whose `do` says which other fields it has (docs/formats/commands.md)."""

    component = "Command"

    def to_internal_value(self, data: Any) -> Any:
        return CODEC.from_json(data)

    def to_representation(self, value: Any) -> Any:
        return value

    @staticmethod
    def schema() -> dict[str, Any]:
        return CODEC.schema(REFERENCE)


class GesturesField(CommandField):
    """What an artist did on the picture, each changing what the ones before have chosen."""

    component = "Gestures"

    def to_internal_value(self, data: Any) -> Any:
        return gestures_from_json(data)

    @staticmethod
    def schema() -> dict[str, Any]:
        return TypeAdapter(Gestures).json_schema(ref_template=REFERENCE)


class EdgeField(CommandField):
    """What is done to an outline in the end."""

    component = "OutlineEdge"

    def to_internal_value(self, data: Any) -> Any:
        return edge_from_json(data)

    @staticmethod
    def schema() -> dict[str, Any]:
        return TypeAdapter(Edge).json_schema(ref_template=REFERENCE)


class _Described(OpenApiSerializerFieldExtension):  # type: ignore[no-untyped-call]
    """Puts the core's types among the components of the description."""

    target_class = CommandField
    match_subclasses = True

    def map_serializer_field(self, auto_schema: Any, direction: Any) -> dict[str, Any]:
        schema = self.target.schema()
        for name, one in {**schema.pop("$defs", {}), self.target.component: schema}.items():
            component = ResolvedComponent(  # type: ignore[no-untyped-call]
                name=name, type=ResolvedComponent.SCHEMA, object=name, schema=one
            )
            auto_schema.registry.register_on_missing(component)
        return {"$ref": REFERENCE.format(model=self.target.component)}
