"""A report on pages: the same page that a browser shows, as a PDF with its pictures as vectors."""

from __future__ import annotations

import base64
import re
from html import unescape
from typing import Final

from PySide6.QtCore import QBuffer, QByteArray, QMarginsF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QAbstractTextDocumentLayout,
    QColor,
    QFont,
    QImage,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QPyTextObject,
    QTextDocument,
    QTextFormat,
)
from PySide6.QtSvg import QSvgRenderer

from oddtwin.core.picture import LIGHT
from oddtwin.ui.theme import FAMILY
from oddtwin.ui.widgets.page_breaks import keep_together

PAPERS: Final = {"A4": QPageSize.PageSizeId.A4, "Letter": QPageSize.PageSizeId.Letter}
_MARGIN_MM: Final = 15.0
_DPI: Final = 1200
_POINTS: Final = 9
_FOOT: Final = 24.0
_PICTURE: Final = re.compile(
    r'(?P<svg><svg\b.*?</svg>)|<img src="data:image/\w+;base64,(?P<data>[^"]+)"[^>]*>', re.DOTALL
)
_SHOTS: Final = re.compile(r'<div class="shots">(.*?)</div>', re.DOTALL)
_STYLE: Final = f"""
h1 {{ font-size: 20px; }} h2 {{ font-size: 15px; margin-top: 16px; }} h3 {{ font-size: 12px; }}
p {{ margin-top: 3px; margin-bottom: 3px; }} .lead {{ font-size: 13px; }} .quiet {{ color: {LIGHT.muted}; }}
h4 {{ font-size: 10px; margin-bottom: 4px; }} th {{ text-align: left; }}
th, td {{ font-size: 9px; border-bottom: 0.5px solid {LIGHT.line}; }}
.threat {{ background-color: {LIGHT.warning_soft}; }}
"""


def report_pdf(page: str, title: str, paper: str = "A4") -> bytes:
    """Return a report as a PDF: numbered pages, heads of tables repeated, text that can be searched.

    Parameters
    ----------
    page : str
        The report as HTML.
    title : str
        Of the document.
    paper : str
        One of ``PAPERS``.
    """
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(title)
    writer.setCreator("Odd Twin")
    margins = QMarginsF(_MARGIN_MM, _MARGIN_MM, _MARGIN_MM, _MARGIN_MM)
    millimetre = QPageLayout.Unit.Millimeter
    writer.setPageLayout(
        QPageLayout(QPageSize(PAPERS[paper]), QPageLayout.Orientation.Portrait, margins, millimetre)
    )
    writer.setResolution(_DPI)
    # Laid out in points, so that what is worked out does not hang on the printer's dots.
    scale = _DPI / 72
    # Whole points: Qt lays out in 64ths of one, and pages would drift from where they are cut.
    body = QSizeF(writer.width() / scale, int(writer.height() / scale - _FOOT))
    pictures = _Pictures(body.width())
    document = _laid_out(page, pictures, body)
    painter = QPainter(writer)
    try:
        painter.scale(scale, scale)
        count = document.pageCount()
        for number in range(count):
            if number:
                writer.newPage()
            _paint_page(painter, document, number, body)
            _paint_foot(painter, title, f"{number + 1} / {count}", body)
    finally:
        # A page that could not be painted must not leave the painter at a device that goes.
        painter.end()
    return bytes(buffer.data().data())


class _Pictures(QPyTextObject):
    """Draws what stands in the text as a picture: drawings as vectors, photographs as they are."""

    def __init__(self, width: float) -> None:
        super().__init__()
        self._width = width
        self._kept: list[QSvgRenderer | QImage] = []

    def taken(self, match: re.Match[str]) -> str:
        """Keep a picture of the page; returns what stands for it in the text."""
        kept = _read(match)
        size = kept.defaultSize() if isinstance(kept, QSvgRenderer) else kept.size()
        # Two photographs stand beside one another; a drawing takes the page, a mark what it is.
        widest = self._width / 2 - 12 if isinstance(kept, QImage) else self._width
        width = min(widest, size.width() * 0.75)
        height = width * size.height() / max(1, size.width())
        self._kept.append(kept)
        return f'<img src="{len(self._kept) - 1}" width="{width:.0f}" height="{height:.0f}"> '

    def intrinsicSize(self, _doc: QTextDocument, _position: int, format: QTextFormat) -> QSizeF:
        image = format.toImageFormat()
        return QSizeF(image.width(), image.height())

    def drawObject(
        self,
        painter: QPainter,
        rect: QRectF | QRect,
        _doc: QTextDocument,
        _position: int,
        format: QTextFormat,
    ) -> None:
        kept = self._kept[int(format.toImageFormat().name())]
        if isinstance(kept, QImage):
            painter.drawImage(QRectF(rect), kept)
        else:
            kept.render(painter, QRectF(rect))


def _side_by_side(match: re.Match[str]) -> str:
    """Return photographs in one row: what a browser lays out as flexible boxes is a table here."""
    row = match[1].replace("<figure>", "<td>").replace("</figure>", "</td>")
    row = row.replace("<figcaption>", "<br>").replace("</figcaption>", "")
    return f"<table><tr>{row}</tr></table>"


def _read(match: re.Match[str]) -> QSvgRenderer | QImage:
    if match["svg"] is None:
        return QImage.fromData(QByteArray(base64.b64decode(unescape(match["data"]))))
    # The page's own letters: in a file by itself a drawing inherits none.
    drawn = match["svg"].replace("<svg ", f'<svg font-family="{FAMILY}" ', 1)
    return QSvgRenderer(QByteArray(drawn.encode()))


def _laid_out(page: str, pictures: _Pictures, body: QSizeF) -> QTextDocument:
    document = QTextDocument()
    document.setUndoRedoEnabled(False)
    document.documentLayout().registerHandler(QTextFormat.ObjectTypes.ImageObject.value, pictures)
    font = QFont(FAMILY)
    font.setPixelSize(_POINTS)
    document.setDefaultFont(font)
    document.setDocumentMargin(0)
    document.setDefaultStyleSheet(_STYLE)
    text = re.sub(r"<style>.*?</style>", "", page, flags=re.DOTALL)
    text = text.replace("<table>", '<table width="100%" cellspacing="0" cellpadding="2" border="0">')
    # What is found stands with its ruler, as a heading does with what follows it.
    text = re.sub(r'<p class="said">(.*?)</p>', r"<h4>\1</h4>", text, flags=re.DOTALL)
    text = _SHOTS.sub(_side_by_side, text)
    document.setHtml(_PICTURE.sub(pictures.taken, text))
    document.setPageSize(body)
    keep_together(document)
    return document


def _paint_page(painter: QPainter, document: QTextDocument, number: int, body: QSizeF) -> None:
    painter.save()
    painter.translate(0, -number * body.height())
    view = QRectF(0, number * body.height(), body.width(), body.height())
    painter.setClipRect(view)
    context = QAbstractTextDocumentLayout.PaintContext()
    context.clip = view
    document.documentLayout().draw(painter, context)
    painter.restore()


def _paint_foot(painter: QPainter, title: str, place: str, body: QSizeF) -> None:
    font = QFont(FAMILY)
    font.setPixelSize(8)
    painter.setFont(font)
    painter.setPen(QColor(LIGHT.muted))
    line = QRectF(0, body.height() + _FOOT / 2, body.width(), _FOOT / 2)
    room = line.adjusted(0, 0, -60, 0)
    shown = painter.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, shown)
    painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, place)
