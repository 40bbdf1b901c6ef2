"""An XML score as a tree, with whatever could do harm refused: entities, files beyond all measure, deep nesting."""

import io
import lzma
import struct
import zipfile
import zlib
from xml.etree import ElementTree as ET

from defusedxml import ElementTree as SafeTree
from defusedxml.common import DefusedXmlException

from notcher.formats.errors import FileFormatError
from notcher.formats.limits import DEEPEST, MOST_ELEMENTS, SCORE

_CONTAINER = "META-INF/container.xml"
# What zipfile and the decoders of its four codings (stored, deflate, bzip2, LZMA) raise for bytes that are not theirs.
_DAMAGED = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, NotImplementedError, RuntimeError, EOFError, OSError,
    ValueError, IndexError, KeyError,
)  # fmt: skip


def score_tree(data: bytes) -> ET.Element:
    """The root of an XML score, plain or in its zipped form. Raises FileFormatError in one line."""
    if data[:4] == b"PK\x03\x04":
        data = _unzipped(data)
    depth = count = 0
    root: ET.Element | None = None
    try:
        for happening, element in SafeTree.iterparse(io.BytesIO(data), ("start", "end")):
            if happening == "end":
                depth -= 1
                continue
            root = element if root is None else root
            depth, count = depth + 1, count + 1
            if depth > DEEPEST:
                raise FileFormatError(
                    "elements lie more than {deepest} deep in one another; no score needs that", deepest=DEEPEST
                )
            if count > MOST_ELEMENTS:
                raise FileFormatError(
                    "it holds more than {most_elements} elements; no solo needs that", most_elements=MOST_ELEMENTS
                )
    except DefusedXmlException as error:
        raise FileFormatError("it declares entities, which no score needs and which can do harm; not read") from error
    except ET.ParseError as error:
        line, column = error.position
        raise FileFormatError(
            "it is no whole XML: damaged or cut off at line {line}, column {column}", line=line, column=column
        ) from error
    except (ValueError, LookupError) as error:
        raise FileFormatError("its text cannot be decoded ({error})", error=error) from error
    if root is None:
        raise FileFormatError("it is no XML")
    return root


def _unzipped(data: bytes) -> bytes:
    """The score in a zipped MusicXML file: the first root file its container names (MusicXML 4.0, compressed files)."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            sizes = {i.filename: i.file_size for i in archive.infolist()}
            if any(size > SCORE.most_bytes for size in sizes.values()):
                raise FileFormatError("unpacked it would be larger than any solo needs; not read")
            if _CONTAINER not in sizes:
                raise FileFormatError("it is a zip file, but holds no score")
            container = _score_named_in(archive.read(_CONTAINER))
            if container not in sizes:
                raise FileFormatError(
                    "it names '{container}' as its score, which it does not hold", container=container
                )
            return archive.read(container)
    except _DAMAGED as error:
        raise FileFormatError("its zip container is damaged ({error})", error=error) from error


def _score_named_in(data: bytes) -> str:
    """The path of the first root file."""
    try:
        root = SafeTree.fromstring(data)
    except (DefusedXmlException, ET.ParseError, ValueError, LookupError) as error:
        raise FileFormatError("the container of the zip file is damaged") from error
    found = next((e.get("full-path", "") for e in root.iter() if e.tag.rpartition("}")[2] == "rootfile"), "")
    if not found:
        raise FileFormatError("it is a zip file, but holds no score")
    return found
