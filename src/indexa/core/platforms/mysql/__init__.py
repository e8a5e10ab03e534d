"""MariaDB / MySQL."""

from indexa.core.platforms import Platform
from indexa.core.platforms.mysql.dialect import DIALECT

PLATFORM = Platform(name="mysql", label="MariaDB / MySQL", dialect=DIALECT, has_kit=True)
