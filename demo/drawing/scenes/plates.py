"""Plants drawn with a pen and washed with colour on old paper, as in a book of herbs."""

import math

import cv2
import numpy as np

from drawing.lettering import font
from drawing.scenes.brush import clouds, finish, lay, rgb

PAPER, INK = "#efe6cf", "#3b3426"
PLANTS = {
    "fern": {"stems": 3, "pairs": 30, "reach": 0.15, "curl": 0.5, "leaf": 0.16, "colour": "#4f7a3f"},
    "olive": {"stems": 3, "pairs": 11, "reach": 0.17, "curl": 0.9, "leaf": 0.34, "colour": "#7d8a58"},
    "eucalyptus": {"stems": 3, "pairs": 9, "reach": 0.14, "curl": 0.2, "leaf": 0.9, "colour": "#6f9488"},
    "lavender": {"stems": 9, "pairs": 14, "reach": 0.045, "curl": 0.4, "leaf": 0.55, "colour": "#7a63a8"},
    "rowan": {
        "stems": 3,
        "pairs": 8,
        "reach": 0.16,
        "curl": 0.6,
        "leaf": 0.4,
        "colour": "#5b7d3c",
        "berries": "#b8321f",
    },
}


def draw(width, height, plant="fern", name="", seed=1):
    """One plant, with its name below where there is one."""
    look, random = PLANTS[plant], np.random.default_rng(seed)
    picture = np.ones((height, width, 3), np.float32) * rgb(PAPER)
    picture *= 1 + 0.022 * clouds(width, height, min(width, height) * 0.4, seed, 7)[..., None]
    stains = np.clip(clouds(width, height, min(width, height) * 0.7, seed + 1, 3) - 1.2, 0, 1)
    lay(picture, rgb("#c9b184"), stains * 0.35)
    ink, wash = np.zeros((height, width), np.uint8), np.zeros((height, width), np.uint8)
    dots = np.zeros((height, width), np.uint8)
    foot = np.array([width * 0.5, height * 0.90])
    for number in range(look["stems"]):
        share = (number + 0.5) / look["stems"] - 0.5
        lean = share * 1.5 + random.normal(0, 0.05)
        long = height * (0.74 - 0.35 * abs(share)) * random.uniform(0.93, 1.05)
        t = np.linspace(0, 1, 80)
        bend = lean * (t + look["curl"] * t**2.2 * np.sign(lean) * 0.5)
        line = foot + np.stack(
            [np.sin(bend) * t * long * 0.9 + share * width * 0.02, -t * long * np.cos(bend * 0.75)], -1
        )
        _stroke(ink, line, max(1.5, height * 0.0022))
        for pair in range(2, look["pairs"] + 1):
            place = pair / (look["pairs"] + 1)
            if plant == "lavender" and place < 0.55:
                continue
            index = min(78, int(place * 79))
            ahead = line[index + 1] - line[index]
            angle = math.atan2(ahead[1], ahead[0])
            reach = (
                height
                * look["reach"]
                * math.sin(math.pi * min(0.98, 0.15 + 0.85 * place)) ** 0.7
                * random.uniform(0.85, 1.1)
            )
            for side in (-1, 1):
                turn = angle + side * (1.05 if plant != "fern" else 0.95) + random.normal(0, 0.06)
                _leaf(ink, wash, line[index], turn, reach, look["leaf"], side, height, random, plant == "fern")
        if "berries" in look:
            for _ in range(26):
                at = line[-1] + random.normal(0, height * 0.022, 2) + (0, height * 0.02)
                cv2.circle(dots, tuple(int(v) for v in at), int(height * 0.010), 255, -1, cv2.LINE_AA)
                cv2.circle(
                    ink,
                    tuple(int(v) for v in at),
                    int(height * 0.010),
                    150,
                    max(1, int(height * 0.0012)),
                    cv2.LINE_AA,
                )
    pool = clouds(width, height, min(width, height) * 0.05, seed + 2, 5)
    soft = cv2.GaussianBlur(wash.astype(np.float32) / 255, (0, 0), height * 0.0018)
    edge = np.clip(soft - cv2.GaussianBlur(soft, (0, 0), height * 0.006), 0, 1)
    lay(
        picture,
        rgb(look["colour"]) * (1 + 0.10 * pool[..., None]),
        np.clip(soft * (0.62 + 0.14 * pool) + edge * 0.5, 0, 0.95),
    )
    if "berries" in look:
        lay(
            picture,
            rgb(look["berries"]),
            cv2.GaussianBlur(dots, (0, 0), 1.2).astype(np.float32) / 255 * (0.85 + 0.1 * pool),
        )
    lay(picture, rgb(INK), ink.astype(np.float32) / 255 * 0.85)
    if name:
        _words(picture, name, width, height)
    return finish(picture, seed, grain=0.008, vignette=0.16)


def _stroke(ink, line, thick):
    for start, end, at in zip(line, line[1:], np.linspace(1, 0.45, len(line) - 1)):
        cv2.line(
            ink, tuple(int(v) for v in start), tuple(int(v) for v in end), 230, max(1, int(thick * at)), cv2.LINE_AA
        )


def _leaf(ink, wash, at, angle, reach, wide, side, height, random, is_fern):
    t = np.linspace(0, 1, 24)
    curl = angle - side * 0.35 * t
    spine = at + np.cumsum(np.stack([np.cos(curl), np.sin(curl)], -1) * reach / 24, 0)
    half = reach * wide / 2 * np.sin(np.pi * np.clip(t, 0.02, 0.99)) ** 0.8
    if is_fern:
        half = half * (0.72 + 0.28 * np.abs(np.sin(t * 34)))
    across = np.stack([-np.sin(curl), np.cos(curl)], -1)
    outline = np.concatenate([spine + across * half[:, None], (spine - across * half[:, None])[::-1]])
    cv2.fillPoly(
        wash, [np.round((outline + random.normal(0, height * 0.001, 2)) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4
    )
    cv2.polylines(
        ink, [np.round(outline * 16).astype(np.int32)], True, 190, max(1, int(height * 0.0011)), cv2.LINE_AA, 4
    )
    cv2.polylines(ink, [np.round(spine * 16).astype(np.int32)], False, 150, 1, cv2.LINE_AA, 4)


def _words(picture, name, width, height):
    from PIL import Image, ImageDraw

    sheet = Image.new("L", (width, height), 0)
    ImageDraw.Draw(sheet).text((width / 2, height * 0.945), name, 255, font(height * 0.026, 480), "mm")
    lay(picture, rgb(INK), np.asarray(sheet).astype(np.float32) / 255 * 0.85)
