"""A Git repository: one commit for each edition, on the branch "main", in a folder of the area's name."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any
from urllib.parse import urlsplit

from dulwich.client import HTTPUnauthorized, get_transport_and_path
from dulwich.errors import GitProtocolError, NotGitRepository
from dulwich.object_store import iter_tree_contents
from dulwich.objects import Blob, Commit, ObjectID
from dulwich.objects import Tree as GitTree
from dulwich.repo import Repo

from indexa.adapters.pushing.folder import allowed_folder
from indexa.adapters.pushing.registry import Place, Pushed, PushError, Sent, compared, register

_BRANCH = b"refs/heads/main"
_FILE = 0o100644
_AUTHOR = b"Indexa <indexa@localhost>"


@register("git", "Git repository", "https://git.example/team/catalog.git", has_secret=True)
class Git:
    """Pushes commits; the secret is "name:token", none for a repository on the server itself."""

    def test(self, place: Place) -> str:
        """Ask for the branches."""
        with _opened(place) as (_, refs, _client, _path):
            return f"{place.address} answers, {'with the branch main' if _BRANCH in refs else 'and is empty so far'}."

    def plan(self, place: Place, sent: Sent) -> Pushed:
        """Compare with what the branch holds."""
        with _opened(place) as (repo, refs, _, _path):
            known = _own(repo, refs.get(_BRANCH), place.name)
            return compared(known, {path: Blob.from_string(content).id for path, content in sent.files})

    def push(self, place: Place, sent: Sent) -> Pushed:
        """Commit what the edition is now, and push the commit; where nothing changed, none is made."""
        with _opened(place) as (repo, refs, client, path):
            parent = refs.get(_BRANCH)
            known = _own(repo, parent, place.name)
            now: dict[str, ObjectID] = {}
            for name, content in sent.files:
                blob = Blob.from_string(content)
                repo.object_store.add_object(blob)
                now[name] = blob.id
            outcome = compared(known, now)
            if known == now:
                return outcome
            others = {} if parent is None else _all(repo, parent)
            kept = {name: one for name, one in others.items() if not name.startswith(f"{place.name}/")}
            commit = Commit()
            commit.tree = _tree(repo, kept | {f"{place.name}/{name}": one for name, one in now.items()})
            commit.parents = [parent] if parent is not None else []
            commit.author = commit.committer = _AUTHOR
            commit.author_time = commit.commit_time = int(time.time())
            commit.author_timezone = commit.commit_timezone = 0
            commit.message = f"{place.name}: {outcome.words}\n".encode()
            repo.object_store.add_object(commit)
            result = client.send_pack(path, lambda _: {_BRANCH: commit.id}, repo.object_store.generate_pack_data)
            refused = (result.ref_status or {}).get(_BRANCH)
            if refused:
                raise PushError(
                    f"{place.address} refuses the commit: {refused}. Somebody pushed meanwhile; push again."
                )
            return outcome


@contextmanager
def _opened(place: Place) -> Iterator[tuple[Repo, dict[bytes, ObjectID], Any, Any]]:
    """Fetch the repository into a bare one of its own; yields that, its branches, and how to push back. Raises PushError."""
    parts = urlsplit(place.address)
    name = token = ""
    address = place.address
    if parts.scheme in ("http", "https"):
        name, _, token = place.secret.partition(":")
    elif parts.scheme in ("", "file"):
        address = str(allowed_folder(Place(parts.path, "", "", place.folders)))
    else:
        raise PushError("The address begins with https://, http:// or file://.")
    try:
        with tempfile.TemporaryDirectory(prefix="indexa-git-") as folder, Repo.init_bare(folder) as repo:
            client, path = get_transport_and_path(address, username=name or None, password=token or None)
            found = client.fetch(
                path, repo, determine_wants=lambda refs, depth=None: [refs[_BRANCH]] if _BRANCH in refs else []
            )
            yield repo, {name: id_ for name, id_ in found.refs.items() if id_ is not None}, client, path
    except HTTPUnauthorized:
        raise PushError(f"{parts.netloc} refuses the name or token.") from None
    except (NotGitRepository, GitProtocolError, OSError, KeyError) as error:
        raise PushError(f"{place.address} can't be used: {str(error)[:200] or type(error).__name__}") from None


def _all(repo: Repo, commit: ObjectID) -> dict[str, ObjectID]:
    found = repo[commit]
    assert isinstance(found, Commit)
    entries = iter_tree_contents(repo.object_store, found.tree)
    return {entry.path.decode("utf-8", "replace"): entry.sha for entry in entries if entry.path and entry.sha}


def _own(repo: Repo, commit: ObjectID | None, name: str) -> dict[str, ObjectID]:
    if commit is None:
        return {}
    files: dict[str, ObjectID] = {}
    with suppress(KeyError):
        files = _all(repo, commit)
    return {path.removeprefix(f"{name}/"): id_ for path, id_ in files.items() if path.startswith(f"{name}/")}


def _tree(repo: Repo, files: dict[str, ObjectID]) -> ObjectID:
    """Write the trees of some files by path, and return that of the root."""
    tree = GitTree()
    below: dict[str, dict[str, ObjectID]] = {}
    for path, id_ in files.items():
        first, _, rest = path.partition("/")
        if rest:
            below.setdefault(first, {})[rest] = id_
        else:
            tree.add(first.encode(), _FILE, id_)
    for name, inner in below.items():
        tree.add(name.encode(), 0o040000, _tree(repo, inner))
    repo.object_store.add_object(tree)
    return tree.id
