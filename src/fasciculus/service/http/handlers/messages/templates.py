"""The words of messages."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Page, ReportPreview, Template, TemplateText
from ....usecases.messages import templates
from ...operations import operation
from ...request import caller


@operation("GET", "/templates", "The words of messages", Permission.VIEW, response=Page[Template])
def templates_list() -> Page[Template]:
    return templates.templates_list(caller())


@operation(
    "GET", "/templates/{name}", "The words of one message", Permission.VIEW, response=Template
)
def templates_show(name: str) -> Template:
    return templates.templates_show(caller(), name)


@operation(
    "PUT",
    "/templates/{name}",
    "Put a text in place of a template, or the one that came along again",
    Permission.CONFIGURE,
    body=TemplateText,
    response=Template,
)
def templates_change(name: str, body: TemplateText) -> Template:
    return templates.templates_change(caller(), name, body)


@operation(
    "GET",
    "/templates/{name}/preview",
    "A message by the present template, with the last real run if there is one",
    Permission.VIEW,
    response=ReportPreview,
)
def templates_preview(name: str) -> ReportPreview:
    return templates.templates_preview(caller(), name)
