"""Pure computation: bytes and values in, frozen dataclasses out. No I/O.

Formats register themselves when they are imported; that is done here, so that the table is whole wherever it is read.
"""

import ivory_thistle.core.formats  # noqa: F401
