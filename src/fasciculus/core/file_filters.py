"""Includes and excludes: which entries of a tree go in.

Patterns are those of ``.gitignore`` (gitignore(5)): ``*.log``, ``/private/``, ``**/cache/**``,
``!keep.log``; the last pattern that matches an entry decides, and nothing comes back out of a
folder that is left out. Patterns are sorted by what their last part says, so that an entry is held
against those alone that may match it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

from msgspec import Struct, field

from .errors import SettingError
from .formatting import format_size

#: Patterns that most sites want, by the name of their set. Folders stay, empty.
READY_SETS: dict[str, tuple[str, ...]] = {
    "caches": ("**/cache/**", "**/.cache/**", "**/caches/**", "**/tmp/**"),
    "logs": ("**/logs/**", "**/log/**", "*.log", "*.log.*", "error_log"),
    "thumbnails": (
        "**/thumbs/**",
        "**/thumbnails/**",
        "**/.thumbnails/**",
        "Thumbs.db",
        ".DS_Store",
    ),
    "dependencies": (
        "node_modules/",
        "bower_components/",
        "vendor/",
        ".venv/",
        "venv/",
        "__pycache__/",
    ),
}

#: The file that marks a folder as a cache, and how it begins (Cache Directory Tagging
#: Specification).
CACHE_TAG = b"CACHEDIR.TAG"
CACHE_MARK = b"Signature: 8a477f597d28d172789f06886806bc55"

#: The answer for a folder that is only on the way to something included.
ON_THE_WAY = "on the way"

_GLOB = re.compile(r"[*?\[\\]")
_DAY_NS = 86_400 * 1_000_000_000


class FileRules(Struct, frozen=True):
    """The rules that select the files of a subject.

    ``includes`` empty means everything. ``larger_than`` is in bytes and ``older_than`` in days,
    both 0 for no limit. ``ignore_file`` is the name of a file that holds further excludes for its
    folder."""

    includes: tuple[str, ...] = ()
    excludes: tuple[str, ...] = ()
    sets: tuple[str, ...] = ()
    larger_than: int = 0
    older_than: int = 0
    one_file_system: bool = False
    skip_tagged_caches: bool = False
    ignore_file: str = ""

    @property
    def everything(self) -> bool:
        """Return whether they leave nothing out."""
        return self == FileRules()


def check_pattern(text: str) -> str:
    """Return the pattern without the space around it; :class:`SettingError` when it means
    nothing.
    """
    text = text.strip()
    if _pattern(0, text) is None or "\n" in text or "\0" in text:
        raise SettingError(
            f"“{text}” is not a pattern.",
            "Write it as in .gitignore: *.log, /private/, **/cache/**, !keep.log.",
        )
    return text


class _Pattern(Struct, frozen=True):
    number: int
    text: str
    matches: re.Pattern[str]
    puts_out: bool
    by_name: bool
    only_folders: bool

    def means(self, path: str, name: str, is_dir: bool) -> bool:
        """Return whether it matches this very entry."""
        if self.only_folders and not is_dir:
            return False
        return self.matches.fullmatch(name if self.by_name else path) is not None


def _pattern(number: int, line: str) -> _Pattern | None:
    """Return the pattern of a line; None for a blank one, a comment, and what means nothing."""
    text = re.sub(r"(?<!\\) +$", "", line)
    glob = text[1:] if text.startswith("!") else text
    only_folders = glob.endswith("/")
    glob = glob.rstrip("/") if only_folders else glob
    if not glob.strip("/") or text.startswith("#"):
        return None
    by_name = "/" not in glob
    try:
        parts = glob.removeprefix("/").split("/")
        single = [p for n, p in enumerate(parts) if p != "**" or n == 0 or parts[n - 1] != "**"]
        matches = re.compile(_regex("/".join(single)), re.DOTALL)
    except re.error:
        return None
    return _Pattern(number, text, matches, not text.startswith("!"), by_name, only_folders)


_PIECES = re.compile(
    r"(?P<lead>^\*\*/)|(?P<mid>/\*\*/)|(?P<end>/\*\*$)|(?P<stars>\*+)|(?P<one>\?)"
    r"|\[(?P<set>[!^]?\]?(?:\\.|[^\]\\])*)\]|\\(?P<plain>.)|(?P<rest>[^*?\[\\/]+|.)",
    re.DOTALL,
)


def _regex(glob: str) -> str:
    """Return a pattern of gitignore(5) as a regular expression for a whole path."""
    made = []
    for piece in _PIECES.finditer(glob):
        match piece.lastgroup:
            case "lead":
                made.append("(?:.*/)?")
            case "mid":
                made.append("/(?:.*/)?")
            case "end":
                made.append("/.+")
            case "stars":
                made.append("[^/]*" if glob != "**" else ".*")
            case "one":
                made.append("[^/]")
            case "set":
                inner = piece["set"]
                negated = inner[:1] in ("!", "^")
                body = (inner[1:] if negated else inner).replace("[", "\\[")
                if body.startswith("]"):
                    body = "\\" + body
                made.append(f"(?!/)[{'^' if negated else ''}{body}]")
            case "plain":
                made.append(re.escape(piece["plain"]))
            case _:
                made.append(re.escape(piece["rest"]))
    return "".join(made)


def has_marks(path: str) -> bool:
    """Return whether a path is a pattern: whether it has ``*``, ``?`` or ``[``."""
    return _GLOB.search(path) is not None


def path_matcher(text: str) -> Callable[[str, bool], bool]:
    """Return what tells for a path, and whether it is a folder, if a pattern of gitignore(5) means
    it. Raises ``SettingError`` for what is no pattern.
    """
    found = _pattern(0, check_pattern(text))
    assert found is not None
    return lambda path, is_dir: found.means(path, path.rpartition("/")[2], is_dir)


class Patterns(Struct):
    """Patterns in order, for paths relative to one folder."""

    _named: dict[str, list[_Pattern]] = field(default_factory=dict)
    _suffixed: dict[str, list[_Pattern]] = field(default_factory=dict)
    _inside: dict[str, list[_Pattern]] = field(default_factory=dict)
    _others: list[_Pattern] = field(default_factory=list)

    @classmethod
    def of(cls, lines: Iterable[str]) -> Patterns:
        """Return the patterns of some lines; blank ones and comments count for nothing."""
        made = cls()
        known = [p for n, line in enumerate(lines) if (p := _pattern(n, line.rstrip("\r\n")))]
        brings_back = any(not p.puts_out for p in known)
        for pattern in known:
            made._sort_in(pattern, brings_back)
        return made

    def __bool__(self) -> bool:
        return bool(self._named or self._suffixed or self._inside or self._others)

    def _sort_in(self, pattern: _Pattern, brings_back: bool) -> None:
        parts = pattern.text.lstrip("!").strip("/").split("/")
        if parts[-1] == "**" and len(parts) > 1 and not brings_back and not _GLOB.search(parts[-2]):
            # What is deeper is never asked for: the folders between are left out themselves.
            self._inside.setdefault(parts[-2], []).append(pattern)
        elif not _GLOB.search(parts[-1]):
            self._named.setdefault(parts[-1], []).append(pattern)
        elif re.fullmatch(r"\*\.[^*?\[\\.]+", parts[-1]):
            self._suffixed.setdefault(parts[-1][2:], []).append(pattern)
        else:
            self._others.append(pattern)

    def last(self, path: str, name: str, parent: str, is_dir: bool) -> _Pattern | None:
        """Return the last pattern that matches; ``path`` is relative, ``parent`` its folder's own
        name.
        """
        rows = self._others
        if name in self._named:
            rows = rows + self._named[name]
        if self._suffixed and (more := self._suffixed.get(name[name.rfind(".") + 1 :])):
            rows = rows + more
        if parent in self._inside:
            rows = rows + self._inside[parent]
        found: _Pattern | None = None
        for pattern in rows:
            if (found is None or pattern.number > found.number) and pattern.means(
                path, name, is_dir
            ):
                found = pattern
        return found


class _Folder(Struct):
    """A folder with its own excludes, or one tagged as a cache."""

    prefix: str
    patterns: Patterns
    tagged: bool = False


class FileSelector:
    """Judges the entries of one tree, which must come in scan order."""

    def __init__(self, rules: FileRules, moment_ns: int) -> None:
        self.rules = rules
        lines = [line for name in rules.sets for line in READY_SETS[name]]
        self._excludes = Patterns.of([*lines, *rules.excludes])
        self._includes = Patterns.of(rules.includes)
        self._excluding, self._including = bool(self._excludes), bool(self._includes)
        self._oldest = moment_ns - rules.older_than * _DAY_NS if rules.older_than else None
        self._limited = bool(rules.older_than or rules.larger_than)
        self._older = f"older than {rules.older_than} days"
        self._larger = f"larger than {format_size(rules.larger_than)}"
        self._folders: list[_Folder] = []
        self._inside: str | None = None

    @property
    def looks_into_folders(self) -> bool:
        """Return whether :meth:`enter` wants to know of cache tags or ignore files."""
        return self.rules.skip_tagged_caches or bool(self.rules.ignore_file)

    def enter(self, folder: bytes, tag: bytes | None, ignore: str | None) -> None:
        """Say what is in a folder: the beginning of its cache tag, the text of its ignore
        file.
        """
        text = folder.decode("utf-8", "surrogateescape")
        prefix = text + "/" if text else ""
        tagged = tag is not None and self.rules.skip_tagged_caches and tag.startswith(CACHE_MARK)
        if tagged or ignore:
            self._leave(prefix)
            self._folders.append(_Folder(prefix, Patterns.of((ignore or "").splitlines()), tagged))

    def _leave(self, path: str) -> None:
        while self._folders and not path.startswith(self._folders[-1].prefix):
            self._folders.pop()

    def judge(self, path: bytes, is_dir: bool, is_file: bool, size: int, mtime_ns: int) -> str:
        """Empty when the entry goes in, :data:`ON_THE_WAY`, or the rule that leaves it out.

        Entries below an excluded folder must not be asked for.
        """
        text = path.decode("utf-8", "surrogateescape")
        cut = text.rfind("/")
        name = text[cut + 1 :]
        parent = text[text.rfind("/", 0, cut) + 1 : cut] if cut > 0 else ""
        if self._folders:
            self._leave(text)
            for folder in reversed(self._folders):
                if folder.tagged and text != folder.prefix + CACHE_TAG.decode():
                    return "tagged as a cache"
                found = folder.patterns.last(text[len(folder.prefix) :], name, parent, is_dir)
                if found is not None and found.puts_out:
                    return f"{folder.prefix}{self.rules.ignore_file}: {found.text}"
                if found is not None:
                    break
        if self._excluding:
            found = self._excludes.last(text, name, parent, is_dir)
            if found is not None and found.puts_out:
                return found.text
        if is_file and self._limited:
            if self.rules.larger_than and size > self.rules.larger_than:
                return self._larger
            if self._oldest is not None and mtime_ns < self._oldest:
                return self._older
        return self._included(text, name, parent, is_dir) if self._including else ""

    def _included(self, text: str, name: str, parent: str, is_dir: bool) -> str:
        if self._inside is not None:
            if text.startswith(self._inside):
                return ""
            self._inside = None
        found = self._includes.last(text, name, parent, is_dir)
        if found is not None and found.puts_out:
            # A negated pattern: it includes.
            if is_dir:
                self._inside = text + "/"
            return ""
        return ON_THE_WAY if is_dir else "not included"
