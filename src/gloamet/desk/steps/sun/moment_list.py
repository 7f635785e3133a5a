# SPDX-License-Identifier: Apache-2.0
"""The list of real moments that fulfil the pins, best first, each with a small picture in its light.

Moments enter; the pointer over one previews its light and keeps a small copy of that picture in the row, a click goes
there.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QStyledItemDelegate, QStyleOptionViewItem

from gloamet.desk.actions import sun_actions
from gloamet.desk.actions.picture_actions import shown_image
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.preview.events import Frame
from gloamet.sun.nearest import RealMoment

ROW_PX, MOST_ROWS, PAD_PX = 46, 5, 3
PICTURE = QSize(60, 40)
MOMENT, IMAGE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
SAME_SUN_DEG = 0.05  # a picture belongs to a moment when its sun does
ModelIndex = QModelIndex | QPersistentModelIndex


def moment_texts(moment: RealMoment) -> tuple[str, str]:
    """Date and time, and how far the sun is from what the pins ask."""
    when = f"{moment.when.day} {moment.when:%b, %H:%M}"
    off = f"{moment.error_deg:.2f}° off, elevation {moment.elevation_deg:.0f}°"
    return when, off.replace("-", "−")


class MomentDelegate(QStyledItemDelegate):
    """Paints the picture of a moment, its date and how far off it is."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: ModelIndex) -> None:
        """One row."""
        super().paint(painter, option, index)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        row = option.rect
        slot = QRectF(row.x() + PAD_PX, row.y() + PAD_PX, PICTURE.width(), PICTURE.height())
        image = index.data(IMAGE)
        if isinstance(image, QImage):
            painter.drawImage(slot, image)
        else:
            painter.fillRect(slot, QColor(theme.GROUND))
        when, off = moment_texts(index.data(MOMENT))
        text = QRect(
            row.x() + PICTURE.width() + 4 * PAD_PX, row.y() + PAD_PX, row.width(), PICTURE.height() // 2
        )
        painter.setFont(theme.font(theme.BODY, True))
        painter.setPen(QColor(theme.INK))
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, when)
        painter.setFont(theme.font(theme.NOTE))
        painter.setPen(QColor(theme.DIM))
        painter.drawText(text.translated(0, PICTURE.height() // 2), Qt.AlignmentFlag.AlignVCenter, off)
        painter.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: ModelIndex) -> QSize:  # noqa: N802
        """Rows of one height."""
        return QSize(0, ROW_PX)


class MomentList(QListWidget):
    """Real moments, best first."""

    def __init__(self, session: Session, aimer: AimController) -> None:
        super().__init__()
        self.session, self.aimer = session, aimer
        self.setItemDelegate(MomentDelegate(self))
        self.setMouseTracking(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Real moments")
        self.setToolTip("Hover or use the arrow keys to preview a moment, click or press Enter to go there.")
        self._pointed: QListWidgetItem | None = None
        self.itemEntered.connect(self.preview)
        self.currentItemChanged.connect(self._on_current_changed)
        self.itemClicked.connect(self._go)
        self.itemActivated.connect(self._go)
        self.viewport().installEventFilter(self)
        session.results.frame_ready.connect(self._on_frame_ready)

    def show_moments(self, moments: tuple[RealMoment, ...]) -> None:
        """Fill the list."""
        self._pointed = None
        self.clear()
        for moment in moments:
            item = QListWidgetItem()
            item.setData(MOMENT, moment)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(moment_texts(moment)))
            self.addItem(item)
        self.setFixedHeight(ROW_PX * min(MOST_ROWS, max(1, len(moments))) + 4)
        self.setVisible(bool(moments))

    def preview(self, item: QListWidgetItem) -> None:
        """Show the light of a moment."""
        self._pointed = item
        self.aimer.show_moment(item.data(MOMENT))

    def _on_current_changed(self, item: QListWidgetItem | None) -> None:
        if item is not None and self.hasFocus():
            self.preview(item)

    def _on_frame_ready(self, _frame: Frame) -> None:
        """The picture of the moment under the pointer: a small copy of it stays in its row."""
        item, light = self._pointed, self.session.results.light
        if item is None or light is None or not self.session.render.previewing:
            return
        moment: RealMoment = item.data(MOMENT)
        image = shown_image(self.session)
        if image is not None and abs(light.sun_elevation_deg - moment.elevation_deg) < SAME_SUN_DEG:
            item.setData(IMAGE, _small(image, self.devicePixelRatioF()))

    def _go(self, item: QListWidgetItem) -> None:
        self._pointed = None
        self.aimer.show(None)
        sun_actions.go_real(self.session, item.data(MOMENT))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """The pointer leaves: the present light returns."""
        if event.type() == QEvent.Type.Leave:
            self._pointed = None
            self.aimer.show(None)
        return super().eventFilter(watched, event)


def _small(image: QImage, ratio: float) -> QImage:
    """A picture cut to the shape of a row's picture."""
    size = PICTURE * ratio
    wide = image.scaled(
        size, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    cut = QRect(0, 0, size.width(), size.height())
    cut.moveCenter(wide.rect().center())
    return wide.copy(cut)
