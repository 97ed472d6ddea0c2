"""What PDF/UA-1 (ISO 14289-1) asks of a file and a program can see, after the Matterhorn Protocol's list of what fails.

Read with pypdf, which did not write the pages. The protocol's numbers are from memory.
"""

import io
import re
from collections.abc import Iterator
from typing import Any

from pypdf import PdfReader
from pypdf.generic import ContentStream

_PAINTS = {
    b"Tj",
    b"TJ",
    b"'",
    b'"',
    b"f",
    b"F",
    b"f*",
    b"S",
    b"s",
    b"B",
    b"B*",
    b"b",
    b"b*",
    b"sh",
    b"Do",
    b"BI",
    b"INLINE IMAGE",
}


def faults(content: bytes) -> list[str]:
    """What is wrong with a PDF, each with where; empty of one that passes."""
    reader = PdfReader(io.BytesIO(content))
    root: Any = reader.root_object
    return [*_document(root), *_tags(root), *_pages(reader, root), *_fonts(reader)]


def _document(root: Any) -> Iterator[str]:
    xmp = root["/Metadata"].get_object().get_data().decode() if "/Metadata" in root else ""
    if not re.search(r"pdfuaid:part(=\"1\"|[^>]*>1<)", xmp):
        yield "06-002: the metadata do not say that it is PDF/UA-1"
    if not re.search(r"<dc:title[^>]*>.*\w.*</dc:title>", xmp, re.DOTALL):
        yield "06-003: the metadata have no title"
    if not root.get("/ViewerPreferences", {}).get("/DisplayDocTitle"):
        yield "07-001: the title is not shown"
    if not root.get("/Lang"):
        yield "11-006: no language is said"
    if not root.get("/MarkInfo", {}).get("/Marked") or "/StructTreeRoot" not in root:
        yield "01-000: it is not tagged"


def elements(root: Any) -> Iterator[Any]:
    """Every element of the structure, in reading order."""
    waiting = [root["/StructTreeRoot"]]
    while waiting:
        at = waiting.pop()
        if "/S" in at:
            yield at
        kids = at.get("/K", [])
        kids = kids.get_object() if hasattr(kids, "get_object") else kids
        kids = kids if isinstance(kids, list) else [kids]
        found = [kid.get_object() for kid in kids if hasattr(kid, "get_object")]
        waiting += reversed([kid for kid in found if hasattr(kid, "get") and ("/S" in kid or "/K" in kid)])


def _tags(root: Any) -> Iterator[str]:
    level = 0
    for element in elements(root):
        kind = element["/S"]
        if kind in ("/Figure", "/Formula") and not str(element.get("/Alt", "")).strip():
            yield f"13-004: a {kind[1:]} has no text in its place"
        if found := re.fullmatch(r"/H([1-6])", kind):
            number = int(found[1])
            if number > level + 1:
                yield f"14-003: a heading of level {number} comes after one of level {level}"
            level = number
        if (
            kind == "/TH"
            and "/ID" not in element
            and not any("/Scope" in one.get_object() for one in _attributes(element))
        ):
            yield "15-003: a heading of a table has neither a scope nor a name by which its cells know it"
        if kind == "/Part":
            level = 0


def _attributes(element: Any) -> list[Any]:
    given = element.get("/A", [])
    given = given.get_object() if hasattr(given, "get_object") else given
    return list(given) if isinstance(given, list) else [given]


def _pages(reader: PdfReader, root: Any) -> Iterator[str]:
    nums = root["/StructTreeRoot"]["/ParentTree"].get_object()["/Nums"] if "/StructTreeRoot" in root else []
    parents = {int(key): value.get_object() for key, value in zip(nums[::2], nums[1::2], strict=True)}
    for number, page in enumerate(reader.pages, start=1):
        own = parents.get(int(page.get("/StructParents", -1)), [])
        marked: list[bool] = []
        for operands, operator in ContentStream(page.get_contents(), reader).operations:
            if operator in (b"BDC", b"BMC"):
                marked.append(True)
                mcid = operands[1].get("/MCID") if operator == b"BDC" and hasattr(operands[1], "get") else None
                if mcid is not None and not (
                    mcid < len(own) and own[mcid].get_object()["/Pg"].get_object() == page.get_object()
                ):
                    yield f"01-006: on page {number}, what is marked {mcid} hangs on no tag of that page"
            elif operator == b"EMC":
                marked.pop()
            elif operator in _PAINTS and not marked:
                yield f"01-005: on page {number} something is painted that is neither tagged nor an artifact"
                break


def _fonts(reader: PdfReader) -> Iterator[str]:
    for page in reader.pages:
        for font in page["/Resources"].get("/Font", {}).get_object().values():
            of = font.get_object()
            of = of["/DescendantFonts"][0].get_object() if "/DescendantFonts" in of else of
            if not {"/FontFile", "/FontFile2", "/FontFile3"} & set(of.get("/FontDescriptor", {}).get_object()):
                yield f"31-009: {of.get('/BaseFont')} is not embedded"
            if "/ToUnicode" not in font.get_object():
                yield f"31-027: {of.get('/BaseFont')} does not say which letters it has"
