"""Named things as a value: what is an object of names in JSON is a tuple of (name, thing) in Python.

A model that holds such tuples holds no dict, so it can be compared, hashed and kept by its content. Its JSON and its
JSON Schema are those of an object; a complaint about a thing names it by its own name.
"""

from typing import Annotated, Any, TypeVar, get_args

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import core_schema

from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said

T = TypeVar("T")


def _object(given: Any) -> Any:
    """The object of a tuple of pairs, as it is built in Python; anything else as it is."""
    if not isinstance(given, tuple):
        return given
    found: dict[str, Any] = {}
    for name, thing in given:
        if name in found:
            raise BadInput("text", name, said("wants.each_name_once"))
        found[name] = thing
    return found


class _ByName:
    """The schema of named things: validated as an object, kept as pairs, written as an object."""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        pair = get_args(source)[0]
        as_object = handler.generate_schema(dict[get_args(pair)[0], get_args(pair)[1]])  # type: ignore[misc]
        return core_schema.no_info_before_validator_function(
            _object,
            core_schema.no_info_after_validator_function(lambda found: tuple(found.items()), as_object),
            serialization=core_schema.wrap_serializer_function_ser_schema(
                lambda pairs, write: write(dict(pairs)), schema=as_object
            ),
        )

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        inner: Any = schema
        return handler(inner["schema"]["schema"])


Named = Annotated[tuple[tuple[str, T], ...], _ByName()]
"""Named things of one sort."""
