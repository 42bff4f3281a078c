"""The entry point of the ``fasciculus`` command: its nouns, its verbs, and wrong use."""

from __future__ import annotations

import difflib
import os
import re
import sys
from types import ModuleType
from typing import Annotated, Any

import typer
from typer.exceptions import TyperException

from . import output
from .group import Entry, LazyGroup
from .help_text import WIDTH
from .parameters import names

ENTRIES = {
    "status": Entry("shortcuts:app.status", "Show alerts, running tasks and next starts."),
    "start": Entry("shortcuts:app.start", "Start a job now."),
    "restore": Entry("bundles.restore:app.restore", "Restore a bundle, or part of it."),
    "search": Entry("shortcuts:app.search", "Find accounts, sites, jobs, stores and bundles."),
    "hosts": Entry("inventory.hosts:app", "Servers that host accounts."),
    "accounts": Entry(
        "inventory.accounts:app", "Accounts with their sites, databases and mail domains."
    ),
    "sites": Entry("inventory.accounts:sites_app", "Sites of accounts."),
    "stores": Entry("stores.stores:app", "Places for bundles."),
    "keys": Entry("people.keys:app", "Keys that bundles are sealed to."),
    "workers": Entry("workers:app", "Workers on other machines."),
    "jobs": Entry("jobs.jobs:app", "Backup jobs: what, where, when, keep, notify."),
    "calendar": Entry("jobs.calendar:app", "Upcoming starts and overlaps."),
    "runs": Entry("runs:app", "Executions of jobs."),
    "bundles": Entry("bundles.bundles:app", "Bundles and their contents."),
    "restores": Entry("bundles.restores:app", "Restores, their plans and results."),
    "recoveries": Entry("bundles.recoveries:app", "Lost hosts, brought back account by account."),
    "drills": Entry("bundles.drills:app", "Restores into a scratch place, as proof."),
    "coverage": Entry("inventory.coverage:app", "Subjects and the jobs that protect them."),
    "maintenance": Entry("stores.maintenance:app", "Verify, repair and repack tasks."),
    "damage": Entry("stores.maintenance:damage_app", "Missing or altered files on stores."),
    "growth": Entry("stores.maintenance:growth_app", "Growth of subjects."),
    "alerts": Entry("messages.alerts:app", "Alerts of the standing checks, and their recipients."),
    "reports": Entry("messages.reports:app", "Reports and the outbox."),
    "channels": Entry("messages.channels:app", "Webhooks that receive reports."),
    "templates": Entry("messages.channels:templates_app", "Message templates."),
    "mail": Entry("messages.reports:mail_app", "The mail server for reports."),
    "definitions": Entry("inventory.coverage:definitions_app", "All settings as one file."),
    "tokens": Entry("people.tokens:app", "Tokens for programs and the command line."),
    "sign-in": Entry(
        "people.sign_in:app.sign-in", "Sign in: create a token for this user and store it."
    ),
    "sign-out": Entry(
        "people.sign_in:app.sign-out", "Remove the stored token, here and in the service."
    ),
    "password": Entry("people.sign_in:app.password", "Change your password."),
    "admin": Entry(
        "admin:app", "Administration on the service's machine, as root, without signing in."
    ),
    "serve": Entry("local:app.serve", "Run the service."),
    "worker": Entry(
        "workers:run_app.worker", "Take orders on this machine, for a service on another one."
    ),
    "config": Entry("local:app.config", "Print the service's settings, and where each comes from."),
    "version": Entry("local:app.version", "Print the version."),
}
#: Whose names answer a missing name.
_LISTINGS = {
    "start": "jobs_list",
    "jobs": "jobs_list",
    "hosts": "hosts_list",
    "accounts": "accounts_list",
    "stores": "stores_list",
    "tokens": "tokens_list",
}
_SHOWN = 50
#: Commands by what people call them elsewhere.
_MEANT = {
    "remove": ("delete", "del", "rm", "drop", "destroy", "unset"),
    "add": ("create", "new", "make", "insert"),
    "list": ("ls", "all", "index"),
    "show": ("get", "info", "describe", "view", "inspect", "cat"),
    "change": ("edit", "set", "update", "modify", "configure"),
    "start": ("run", "now", "trigger", "execute"),
    "cancel": ("stop", "abort", "kill"),
    "try": ("test", "check", "ping"),
    "bundles": ("backups", "backup", "copies", "archives"),
    "sign-in": ("login", "signin", "auth"),
    "sign-out": ("logout", "signout"),
    "log": ("logs", "output"),
}


class Root(LazyGroup):
    """The command ``fasciculus``, whose commands are imported when they are used."""

    entries = ENTRIES


app = typer.Typer(
    name="fasciculus",
    cls=Root,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"max_content_width": WIDTH},
    help="Scheduled backups of web hosting accounts and sites.",
    epilog="Exit codes: 0 done, 1 trouble in a run, restore or try, 2 wrong use, 3 no answer, "
    "4 not signed in, 5 no such thing, 6 refused, 7 cancelled.",
)


def _print_version(wanted: bool) -> None:
    if wanted:
        from .. import __version__

        output.out.print(f"fasciculus {__version__}", highlight=False)
        raise typer.Exit


@app.callback()
def root(
    version: Annotated[
        bool,
        typer.Option(
            "--version", help="Print the version.", callback=_print_version, is_eager=True
        ),
    ] = False,
) -> None:
    """Scheduled backups of web hosting accounts and sites."""


def _spare_imports() -> None:
    """Keep Typer's help from importing what ours never shows: that took most of its time."""
    for name, attribute in (("rich.markdown", "Markdown"), ("rich.traceback", "Traceback")):
        unused = ModuleType(name)
        setattr(unused, attribute, None)
        sys.modules.setdefault(name, unused)
    # Looking through all packages for plug-ins of pydantic, which are none.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")


def main() -> None:
    """Run the command; wrong use is answered with the option, the values and the nearest."""
    _spare_imports()
    output.speak_json("--json" in sys.argv)
    try:
        code = app(prog_name="fasciculus", standalone_mode=False)
    except typer.Abort:
        code = output.CANCELLED
    except TyperException as error:
        code = _wrong_use(error)
    except Exception as error:
        code = _unexpected(error)
    sys.exit(code)


def _unexpected(error: Exception) -> int:
    """Say in a sentence what no command has foreseen; a value that does not fit is wrong use."""
    if type(error).__name__ == "ValidationError":
        from ..models.validation import field_errors
        from .session import option_named

        for row in field_errors(error):  # type: ignore[arg-type]
            output.complain(row.message, field=option_named(row.field, {}))
        return output.WRONG
    if isinstance(error, UnicodeError) or "surrogates not allowed" in str(error):
        output.complain("A name or value has characters that cannot be used here.", "Use others.")
        return output.WRONG
    if isinstance(error, OSError) and error.filename:
        output.complain(f"{error.filename}: {error.strerror}.", "Name another file or folder.")
        return output.WRONG
    if os.environ.get("FASCICULUS_TRACEBACK"):
        raise error
    output.complain(
        f"Something unexpected happened ({type(error).__name__}: {error}).",
        "With FASCICULUS_TRACEBACK=1 it says where; please report that.",
    )
    return output.TROUBLE


def _wrong_use(error: Any) -> int:
    """Say what is wrong with the words of the command; the exit code."""
    context = getattr(error, "ctx", None)
    path = context.command_path if context is not None else "fasciculus"
    message = error.format_message().replace("Value error, ", "")
    if type(error).__name__ == "NoArgsIsHelpError":
        # It has shown the help already.
        return output.WRONG
    output.complain(message, _nearest(message, context) or f"“{path} --help” lists what there is.")
    if type(error).__name__ == "MissingParameter":
        _name_the_names(path.split()[1:])
    return output.WRONG


def _nearest(message: str, context: Any) -> str:
    """For a mistyped command or value, the one that was probably meant."""
    if found := re.search(r"No such command '([^']*)'", message):
        if "Did you mean" in message or context is None:
            return ""
        there = context.command.list_commands(context)
        meant = [name for name in _MEANT if found[1].lower() in _MEANT[name] and name in there]
        close = meant or difflib.get_close_matches(found[1], there, 1)
        return f"Did you mean “{context.command_path} {close[0]}”?" if close else ""
    if found := re.search(r"'([^']*)' is not one of (.*)", message):
        close = difflib.get_close_matches(found[1], re.findall(r"'([^']*)'", found[2]), 1)
        return f"Did you mean {close[0]}?" if close else ""
    return ""


def _name_the_names(words: list[str]) -> None:
    """Answer a missing name with the names there are."""
    if not words or words[0] not in _LISTINGS or words[1:] == ["add"]:
        return
    listing = _LISTINGS[words[0]]
    if (found := names(listing, _SHOWN)) is not None:
        output.complain(f"{listing.removesuffix('_list')}: {', '.join(found) or 'none yet'}")
