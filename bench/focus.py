"""Focus sweeps the plain way, for comparison, and how near a picture is to the truth: OpenCV and NumPy.

usage: focus.py merge pyramid|sharpest OUT REPORT FRAME...
           aligns each frame on the one before by ECC with an affine model, and merges them
       focus.py compare REPORT PICTURE... TRUTH
           PSNR and SSIM of pictures, of the two plain ways on the same aligned frames, and of a single
           frame's noise, for one report of `jade-stack focus`; JSON
"""

import json
import sys
from pathlib import Path

import cv2
import numpy as np
from reference import Stages

LEVELS = 6
ECC_ROUNDS = 50


def read(path):
    return cv2.imread(str(path), cv2.IMREAD_UNCHANGED).astype(np.float32) / 65535


def pyramid(frame):
    levels = []
    for _ in range(LEVELS):
        low = cv2.pyrDown(frame)
        levels.append(frame - cv2.pyrUp(low, dstsize=(frame.shape[1], frame.shape[0])))
        frame = low
    return levels, frame


class Pyramid:
    """Plain fusion: at each level and place the detail that is largest, and the mean of what is left."""

    def __init__(self):
        self.levels = None

    def add(self, frame):
        levels, rest = pyramid(frame)
        sizes = [np.abs(level).sum(2) for level in levels]
        if self.levels is None:
            self.levels, self.sizes, self.rest, self.count = levels, sizes, rest, 1
            return
        for own, most, level, size in zip(self.levels, self.sizes, levels, sizes):
            larger = size > most
            own[larger], most[larger] = level[larger], size[larger]
        self.rest, self.count = self.rest + rest, self.count + 1

    def merged(self):
        out = self.rest / self.count
        for level in reversed(self.levels):
            out = cv2.pyrUp(out, dstsize=(level.shape[1], level.shape[0])) + level
        return out


class Sharpest:
    """Plain choice: each pixel from the frame whose Laplacian, made even, is largest there."""

    def __init__(self):
        self.out = None

    def add(self, frame):
        sharp = cv2.GaussianBlur(np.abs(cv2.Laplacian(frame.mean(2), cv2.CV_32F, ksize=3)), (0, 0), 3)
        if self.out is None:
            self.out, self.most = frame.copy(), sharp
            return
        larger = sharp > self.most
        self.out[larger], self.most[larger] = frame[larger], sharp[larger]

    def merged(self):
        return self.out


WAYS = {"pyramid": Pyramid, "sharpest": Sharpest}


def merge(way, out, report, frames):
    stages = Stages()
    merged, motion, before = WAYS[way](), np.eye(3, dtype=np.float32), None
    for path in frames:
        frame = read(path)
        stages.end("frames")
        grey = np.sqrt(frame.mean(2))
        if before is not None:
            step = np.eye(2, 3, dtype=np.float32)
            rounds = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, ECC_ROUNDS, 1e-5)
            _, step = cv2.findTransformECC(before, grey, step, cv2.MOTION_AFFINE, rounds)
            motion = np.vstack([step, [0, 0, 1]]).astype(np.float32) @ motion
        before = grey
        stages.end("align")
        size = (frame.shape[1], frame.shape[0])
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        merged.add(cv2.warpAffine(frame, motion[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE))
        stages.end("combine")
    result = np.clip(merged.merged(), 0, 1)
    stages.end("combine")
    cv2.imwrite(out, np.round(result * 65535).astype(np.uint16), [cv2.IMWRITE_TIFF_COMPRESSION, 1])
    stages.end("export")
    stages.write(report)


def fitted(picture, truth):
    """With the gain of each colour that brings it nearest to the truth."""
    gains = (picture * truth).sum((0, 1)) / (picture * picture).sum((0, 1))
    return picture * gains


def psnr(picture, truth, where):
    return float(-10 * np.log10(((picture - truth) ** 2).mean(2)[where].mean()))


def ssim(picture, truth):
    def even(values):
        return cv2.GaussianBlur(values, (11, 11), 1.5)

    a, b = picture.mean(2), truth.mean(2)
    mean_a, mean_b = even(a), even(b)
    squares = even(a * a) - mean_a**2, even(b * b) - mean_b**2
    both = even(a * b) - mean_a * mean_b
    own = (2 * mean_a * mean_b + 1e-4) * (2 * both + 9e-4)
    return float((own / ((mean_a**2 + mean_b**2 + 1e-4) * (sum(squares) + 9e-4))).mean())


def noise(picture, smooth):
    return float((picture - cv2.GaussianBlur(picture, (0, 0), 5))[smooth].std())


def squares_off(grid, matrix, true):
    """Mean square of the distance in pixels between where two matrices put the places of a grid."""
    told, right = (cv2.perspectiveTransform(grid[None, :, :2], way) for way in (matrix, true))
    return ((told - right) ** 2).sum(2).mean()


def true_matrix(grid):
    return cv2.findHomography(grid[:, :2], grid[:, 2:])[0]


def compare(report, pictures, truth):
    found = json.loads(Path(report).read_text())
    truth = Path(truth)
    (left, top), (width, height) = found["origin"], found["size"]

    def cut(values):
        return values[top : top + height, left : left + width]

    motion = json.loads((truth / "motion.json").read_text())
    frames = {own["file"]: own for own in motion["frames"]}
    sharp = cut(read(truth / "sharp.tif"))
    depth = cv2.imread(str(truth / "depth.png"), cv2.IMREAD_UNCHANGED).astype(np.float32)
    solid = depth < 65535
    depth = np.where(solid, depth / 65534 * (len(frames) - 1), 99.0)
    square = np.ones((3, 3))
    edges = (cv2.dilate(depth, square) - cv2.erode(depth, square) > 1).astype(np.uint8)
    edges = cut(cv2.dilate(edges, np.ones((17, 17)))) > 0
    smooth = cut(cv2.dilate(solid.astype(np.uint8), np.ones((61, 61)))) == 0
    depth, solid = cut(depth), cut(solid.astype(np.uint8)) > 0
    plain = {name: way() for name, way in WAYS.items()}
    off, single = [], None
    for own in found["frames"]:
        if not own["used"]:
            continue
        grid = np.array(frames[own["file"]]["grid"])
        matrix = np.array(own["to_reference"])
        off.append(squares_off(grid, matrix, true_matrix(grid)))
        frame = read(truth.parent / own["file"])
        size = (frame.shape[1], frame.shape[0])
        warped = cut(
            cv2.warpPerspective(frame, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        )
        if own["file"] == motion["reference"]:
            single = noise(fitted(warped, sharp), smooth)
        for way in plain.values():
            way.add(warped)
    everywhere = np.ones_like(edges)
    figures = {"align_px": float(np.sqrt(np.mean(off))), "frames": len(off)}
    shown = {Path(path).stem: read(path) for path in pictures}
    for name, picture in {**shown, **{name: way.merged() for name, way in plain.items()}}.items():
        picture = fitted(picture, sharp)
        figures[name] = {
            "psnr": psnr(picture, sharp, everywhere),
            "edges": psnr(picture, sharp, edges),
            "ssim": ssim(picture, sharp),
            "noise": noise(picture, smooth) / single,
        }
    right = [own["file"] for own in motion["frames"]]
    figures["in_order"] = found["focus"]["order"] in (right, right[::-1])
    print(json.dumps(figures))


def placed(report, truth):
    """How far frames lie off the reference frame, and neighbours off each other, in pixels rms."""
    found = json.loads(Path(report).read_text())
    motion = json.loads((Path(truth) / "motion.json").read_text())
    grids = {own["file"]: np.array(own["grid"]) for own in motion["frames"]}
    straight = {file: true_matrix(grid) for file, grid in grids.items()}
    used = {own["file"]: np.array(own["to_reference"]) for own in found["frames"] if own["used"]}

    def off(own, other):
        ways = [np.linalg.inv(way[other]) @ way[own] for way in (used, straight)]
        return squares_off(grids[own], *ways)

    order = [own["file"] for own in motion["frames"] if own["file"] in used]
    all_off = [off(own, found["reference"]) for own in order]
    neighbours = [off(*pair) for pair in zip(order, order[1:])]
    figures = {"reference_px": np.sqrt(np.mean(all_off)), "neighbours_px": np.sqrt(np.mean(neighbours))}
    print(json.dumps(figures))


def main():
    mode, *rest = sys.argv[1:]
    if mode == "merge":
        way, out, report, *frames = rest
        merge(way, out, report, frames)
    elif mode == "placed":
        placed(*rest)
    else:
        report, *pictures, truth = rest
        compare(report, pictures, truth)


if __name__ == "__main__":
    main()
