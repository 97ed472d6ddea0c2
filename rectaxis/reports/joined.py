"""Many PDFs as one, with the tags of each: whoever reads by ear hears the joined file as they would each alone."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import BinaryIO

from pikepdf import Array, Dictionary, Name, Object, ObjectStreamMode, OutlineItem, Pdf


def join(parts: Iterable[tuple[str, bytes]], title: str, written: BinaryIO) -> None:
    """Write PDF/UA files, each with a name for the outline, as one PDF/UA file with a title."""
    with Pdf.new() as whole:
        root = whole.make_indirect(Dictionary(Type=Name.StructTreeRoot))
        document = whole.make_indirect(Dictionary(Type=Name.StructElem, S=Name.Document, P=root, K=Array()))
        numbers, taken = Array(), 0
        with whole.open_outline() as outline:
            for name, content in parts:
                outline.root.append(OutlineItem(name, len(whole.pages)))
                taken = _take(whole, content, document, numbers, taken)
        root.K, root.ParentTree, root.ParentTreeNextKey = Array([document]), Dictionary(Nums=numbers), taken
        whole.Root.StructTreeRoot, whole.Root.MarkInfo = root, Dictionary(Marked=True)
        whole.Root.Lang, whole.Root.ViewerPreferences = "en", Dictionary(DisplayDocTitle=True)
        with whole.open_metadata(set_pikepdf_as_editor=False) as said:
            said["dc:title"], said["pdfuaid:part"] = title, "1"
        whole.save(written, object_stream_mode=ObjectStreamMode.generate, deterministic_id=True)


def _take(whole: Pdf, content: bytes, document: Object, numbers: Array, taken: int) -> int:
    """Add a file's pages, hang its tags below the document's, and number its pages after those taken; answers with the next number."""
    first = len(whole.pages)
    with Pdf.open(io.BytesIO(content)) as given:
        whole.pages.extend(given.pages)
        tags = whole.copy_foreign(given.Root.StructTreeRoot)
    for kid in tags.K:
        kid.S, kid.P = Name.Part, document
        document.K.append(kid)
    nums = list(tags.ParentTree.Nums)
    for key, value in zip(nums[::2], nums[1::2], strict=True):
        numbers.append(int(key) + taken)
        numbers.append(value)
    for page in list(whole.pages)[first:]:
        if Name.StructParents in page:
            page.StructParents = int(page.StructParents) + taken
    return taken + max((int(key) for key in nums[::2]), default=-1) + 1
