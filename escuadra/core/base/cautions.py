"""The usual cautions, said in the same words wherever they belong."""

from escuadra.core.base.said import said

LASER = said("caution.laser")
