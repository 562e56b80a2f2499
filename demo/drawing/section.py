"""A section through the glasshouse, drawn in ink on white, with much empty paper around it."""

import cv2
import numpy as np

WIDTH, HEIGHT, FINER = 1_800, 1_300, 4
INK = (28, 34, 40)
WASH = (214, 229, 222)


def draw() -> np.ndarray:
    page = np.full((HEIGHT * FINER, WIDTH * FINER, 3), 255, np.uint8)

    def line(x1: float, y1: float, x2: float, y2: float, width: float = 2) -> None:
        a, b = ((int(x * FINER), int(y * FINER)) for x, y in ((x1, y1), (x2, y2)))
        cv2.line(page, a, b, INK, int(width * FINER), cv2.LINE_AA)

    def arc(x: float, y: float, rx: float, ry: float, start: float, end: float, width: float = 2) -> None:
        cv2.ellipse(
            page,
            (int(x * FINER), int(y * FINER)),
            (int(rx * FINER), int(ry * FINER)),
            0,
            start,
            end,
            INK,
            int(width * FINER),
            cv2.LINE_AA,
        )

    cv2.ellipse(
        page, (int(860 * FINER), int(760 * FINER)), (int(250 * FINER), int(300 * FINER)), 0, 180, 360, WASH, -1
    )
    line(380, 760, 1400, 760, 5)
    for rx in (250, 190, 120, 45):
        arc(860, 760, rx, 300, 180, 360, 4 if rx == 250 else 1.6)
    for y, half in ((700, 245), (620, 221), (540, 170), (490, 109)):
        line(860 - half, y, 860 + half, y, 1.4)
    line(860, 460, 860, 408, 4)
    arc(860, 398, 10, 10, 0, 360, 3)
    for left, right in ((430, 610), (1110, 1360)):
        line(left, 760, left, 620, 3)
        line(right, 760, right, 620, 3)
        line(left, 620, (left + right) / 2, 560, 3)
        line(right, 620, (left + right) / 2, 560, 3)
        for share in np.linspace(0, 1, 6)[1:-1]:
            x = left + share * (right - left)
            line(x, 760, x, 620 - 60 * (1 - abs(2 * share - 1)), 1.2)
    line(610, 760, 610, 690, 3)
    line(1110, 760, 1110, 690, 3)
    for i in range(34):
        x = 390 + i * 30
        line(x, 766, x - 16, 786, 1.2)
    line(380, 850, 1400, 850, 1.2)
    for x in (380, 610, 1110, 1400):
        line(x, 838, x, 862, 1.2)
        line(x - 8, 858, x + 8, 842, 1.6)
    return cv2.resize(page, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
