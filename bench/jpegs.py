"""Saves pictures as JPEG of 8 bit.

usage: jpegs.py OUT PICTURE...
"""

import sys
from pathlib import Path

import cv2


def main(out, *pictures):
    out = Path(out)
    out.mkdir(parents=True, exist_ok=True)
    for picture in map(Path, pictures):
        codes = cv2.imread(str(picture), cv2.IMREAD_UNCHANGED) >> 8
        cv2.imwrite(
            str(out / f"{picture.stem}.jpg"),
            codes.astype("uint8"),
            [cv2.IMWRITE_JPEG_QUALITY, 95],
        )


main(*sys.argv[1:])
