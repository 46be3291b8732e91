"""Customers: names and addresses with their jobs, and erasing them for good."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import RedirectResponse, Response

from escuadra.commands.customers import EraseCustomer, customers
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Said
from escuadra.web import forms
from escuadra.web.pages import garage_of, person_of, render, status_of, told
from escuadra.web.screens import screen

router = screen("customers", within="garage")


def page(request: Request, status: int = 200, error: Said | None = None) -> Response:
    """The list, the newest first."""
    return render(request, "customers.html", status=status, customers=customers(garage_of(request)), error=error)


@router.get("/customers")
def show(request: Request) -> Response:
    """Customers of the newest jobs."""
    return page(request)


@router.post("/customers")
def erased(request: Request, form: Annotated[forms.CustomerErasure, Form()]) -> Response:
    """Erase one's name and address; the jobs stay, and say when it was done."""
    try:
        garage_of(request).do(EraseCustomer(form.customer), person_of(request), form.entry)
    except (BadInput, Conflict) as error:
        return page(request, status_of(error), told(error))
    return RedirectResponse("/customers", 303)
