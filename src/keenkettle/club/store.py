"""The club's database: opened, checked, migrated, backed up; one file in the data folder."""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import date
from pathlib import Path

from platformdirs import user_data_path
from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError
from sqlalchemy.orm import Session

DATABASE = "club.sqlite3"
NEWEST = "0009"  # the newest migration; a test keeps this true
BACKUPS_KEPT = 7
LOCK_WAIT_MS = 1500


class ClubError(RuntimeError):
    """The records cannot be read or written now; the message says what to do."""


class ClubDamagedError(ClubError):
    """The records are damaged. ``backup`` is the newest good copy, or None."""

    def __init__(self, path: Path, backup: Path | None) -> None:
        """Name the file and the copy."""
        offer = (
            f"the copy of {backup.stem.removeprefix('club-')} can be put in its place"
            if backup
            else "there is no copy; move the file away to begin a new club"
        )
        super().__init__(f"{path.name} in {path.parent} is damaged; {offer}")
        self.path = path
        self.backup = backup


def default_folder(demo: bool) -> Path:
    """The user's data folder; the demo club has one of its own."""
    return user_data_path("keenkettle") / ("demo" if demo else "club")


class Store:
    """An open club. Everything written is on the disk when the call returns."""

    def __init__(self, folder: Path) -> None:
        """Open or make the club in a folder.

        Raises:
            ClubDamagedError: the file is not a sound database.
            ClubError: it is locked, or the folder cannot be written.
        """
        self.folder = folder
        self.path = folder / DATABASE
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as err:
            raise ClubError(f"{folder} cannot be made ({err.strerror}); choose another") from err
        if self.path.exists():
            _check(self.path)
        self.engine = _engine(self.path)
        with _plain_errors(self.path):
            if _version(self.engine) != NEWEST:
                self._migrate()
        self._back_up()
        self._beside: Connection | None = None

    def version(self) -> int:
        """A number that is another one after anybody has changed the records.

        Raises:
            ClubError: the database is locked or cannot be read.
        """
        with _plain_errors(self.path):
            if self._beside is None:  # a connection does not count what it writes itself
                beside = self.engine.connect()
                self._beside = beside.execution_options(isolation_level="AUTOCOMMIT")
            return int(self._beside.exec_driver_sql("PRAGMA data_version").scalar_one())

    @property
    def clips_folder(self) -> Path:
        """Where copied clips are kept."""
        return self.folder / "clips"

    def ends_folder(self, sha256: str) -> Path | None:
        """Where frames of a film are kept that are costly to decode; None where it has no hash."""
        return self.folder / "frames" / sha256 if sha256 else None

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that is committed at the end, or rolled back on an error.

        Raises:
            ClubError: the database is locked or cannot be written.
        """
        with _plain_errors(self.path), Session(self.engine, expire_on_commit=False) as session:
            try:
                yield session
                session.commit()
            except BaseException:
                session.rollback()
                raise

    def compact(self) -> None:
        """Write the file anew without what was deleted, so that it cannot be read back.

        Raises:
            ClubError: another program holds it; deleted rows are overwritten when it lets go.
        """
        with _plain_errors(self.path), self.engine.connect() as connection:
            plain = connection.execution_options(isolation_level="AUTOCOMMIT")
            plain.exec_driver_sql("VACUUM")
            plain.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")

    def close(self) -> None:
        """Close the file."""
        if self._beside is not None:
            self._beside.close()
            self._beside = None
        self.engine.dispose()

    def _migrate(self) -> None:
        # Loaded only where there is something to migrate: it costs a third of the start.
        from alembic import command
        from alembic.config import Config

        with self.engine.begin() as connection:
            config = Config()
            config.set_main_option("script_location", "keenkettle:club/migrations")
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    def _back_up(self) -> None:
        """One copy a day, the newest few kept; made with SQLite's own online copy."""
        folder = self.folder / "backups"
        target = folder / f"club-{date.today().isoformat()}.sqlite3"
        if target.exists():
            return
        folder.mkdir(exist_ok=True)
        part = target.with_suffix(".part")
        try:
            with (
                closing(sqlite3.connect(self.path)) as source,
                closing(sqlite3.connect(part)) as copy,
            ):
                source.backup(copy)
            part.replace(target)
        except (sqlite3.Error, OSError):
            part.unlink(missing_ok=True)  # a copy that fails must not stop the work
            return
        for old in sorted(folder.glob("club-*.sqlite3"))[:-BACKUPS_KEPT]:
            old.unlink()


def restore(folder: Path, backup: Path) -> Path:
    """Put a copy in the place of a damaged database, which is kept beside it.

    Returns:
        Where the damaged file was moved.
    """
    path = folder / DATABASE
    aside = folder / f"club-damaged-{date.today().isoformat()}.sqlite3"
    n = 1
    while aside.exists():
        n += 1
        aside = folder / f"club-damaged-{date.today().isoformat()}-{n}.sqlite3"
    path.rename(aside)
    for tail in ("-wal", "-shm"):
        Path(f"{path}{tail}").unlink(missing_ok=True)
    shutil.copy2(backup, path)
    return aside


def newest_backup(folder: Path) -> Path | None:
    """The newest copy that is itself sound."""
    for path in sorted((folder / "backups").glob("club-*.sqlite3"), reverse=True):
        if _sound(path):
            return path
    return None


def _sound(path: Path) -> bool:
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
            return bool(connection.execute("PRAGMA quick_check").fetchone()[0] == "ok")
    except sqlite3.OperationalError as err:
        if "locked" in str(err):
            raise
        return False
    except sqlite3.DatabaseError:
        return False


def _check(path: Path) -> None:
    try:
        good = _sound(path)
    except sqlite3.OperationalError as err:
        raise ClubError(_locked(path)) from err
    if not good:
        raise ClubDamagedError(path, newest_backup(path.parent))


def _locked(path: Path) -> str:
    return f"{path.name} is being written by another program; close that one and try again"


@contextmanager
def _plain_errors(path: Path) -> Iterator[None]:
    try:
        yield
    except OperationalError as err:
        if "locked" in str(err.orig):
            raise ClubError(_locked(path)) from err
        raise ClubError(
            f"{path.name} cannot be written ({err.orig}); make room or check the folder's rights"
        ) from err
    except IntegrityError as err:
        if "athlete.name" in str(err.orig):
            raise ClubError("somebody in the club has that name; add a second name") from err
        raise
    except DatabaseError as err:
        if isinstance(err.orig, sqlite3.DatabaseError) and "malformed" in str(err.orig):
            raise ClubDamagedError(path, newest_backup(path.parent)) from err
        raise


def _version(engine: Engine) -> str | None:
    """The records' version, None where there are none yet."""
    with engine.connect() as connection:
        if "alembic_version" not in inspect(connection).get_table_names():
            return None
        return str(connection.execute(text("select version_num from alembic_version")).scalar())


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}")

    @event.listens_for(engine, "connect")
    def _prepare(connection: sqlite3.Connection, _record: object) -> None:
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA secure_delete=ON")
        connection.execute(f"PRAGMA busy_timeout={LOCK_WAIT_MS}")

    return engine
