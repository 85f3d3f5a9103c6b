"""The plain way, for comparison: OpenCV and NumPy.

Reads the frames, finds stars, fits a homography for each frame against the middle one, warps with
Lanczos, and takes the median or the clipped mean over chunks of rows, all in 32-bit floats.

usage: reference.py stars|scene median|clipped OUT REPORT FRAME...
       reference.py decode none none REPORT FRAME...   only reads the frames
"""

import json
import multiprocessing
import resource
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

CHUNK_BYTES = 400 << 20
KAPPA = 2.8
ROUNDS = 3


def linear(encoded):
    """sRGB samples of 16 bit to linear light."""
    table = np.arange(65536, dtype=np.float32) / 65535
    table = np.where(table <= 0.04045, table / 12.92, ((table + 0.055) / 1.055) ** 2.4)
    return table.astype(np.float32)[encoded]


def encoded(light):
    light = np.clip(light, 0, 1)
    out = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return np.round(out * 65535).astype(np.uint16)


def stars(light):
    """Centroids of the brightest local maxima above the background."""
    grey = light.mean(axis=2)
    small = cv2.resize(grey, None, fx=1 / 16, fy=1 / 16, interpolation=cv2.INTER_AREA)
    small = cv2.medianBlur(small, 5)
    above = grey - cv2.resize(small, (grey.shape[1], grey.shape[0]), interpolation=cv2.INTER_LINEAR)
    smooth = cv2.GaussianBlur(above, (0, 0), 1.1)
    sigma = 1.4826 * np.median(np.abs(smooth[::7, ::7]))
    peaks = (smooth == cv2.dilate(smooth, np.ones((5, 5)))) & (smooth > 6 * sigma)
    ys, xs = np.nonzero(peaks)
    inside = (xs > 6) & (ys > 6) & (xs < grey.shape[1] - 7) & (ys < grey.shape[0] - 7)
    xs, ys = xs[inside], ys[inside]
    order = np.argsort(-smooth[ys, xs])[:1500]
    grid = np.arange(-3, 4)
    found = []
    for x, y in zip(xs[order], ys[order]):
        patch = np.clip(above[y - 3 : y + 4, x - 3 : x + 4], 0, None)
        total = patch.sum()
        found.append((x + (patch.sum(0) * grid).sum() / total, y + (patch.sum(1) * grid).sum() / total))
    return np.array(found, np.float64)


def star_homography(points, reference):
    """Nearest neighbours under a motion that is refined, with RANSAC."""
    motion = np.eye(3)
    for reach, count in ((60, 150), (12, 600), (3, 1500), (2, 1500)):
        moved = cv2.perspectiveTransform(points[None, :count], motion)[0]
        apart = np.linalg.norm(moved[:, None] - reference[None, :count], axis=2)
        nearest = apart.argmin(1)
        mutual = apart.argmin(0)[nearest] == np.arange(len(moved))
        good = mutual & (apart[np.arange(len(moved)), nearest] < reach)
        motion, _ = cv2.findHomography(points[:count][good], reference[nearest[good]], cv2.RANSAC, 2.0)
    return motion


def scene_features(light):
    grey = np.clip(np.sqrt(light.mean(axis=2)) * 255, 0, 255).astype(np.uint8)
    return cv2.ORB_create(4000).detectAndCompute(grey, None)


def scene_homography(own, reference):
    matches = cv2.BFMatcher(cv2.NORM_HAMMING, crossCheck=True).match(own[1], reference[1])
    source = np.float64([own[0][m.queryIdx].pt for m in matches])
    target = np.float64([reference[0][m.trainIdx].pt for m in matches])
    motion, _ = cv2.findHomography(source, target, cv2.RANSAC, 2.0)
    return motion


def clipped_mean(samples):
    """About the mean, mean and standard deviation each time from what was kept: quicker in NumPy
    than about the median."""
    kept = np.ones(samples.shape, bool)
    for _ in range(ROUNDS):
        count = np.maximum(kept.sum(0, dtype=np.float32), 1)
        off = samples - np.einsum("f...,f...->...", samples, kept, dtype=np.float32) / count
        squares = off * off
        limit = KAPPA**2 * np.einsum("f...,f...->...", squares, kept, dtype=np.float32) / count
        kept = squares <= limit + 1e-14
    count = np.maximum(kept.sum(0, dtype=np.float32), 1)
    return np.einsum("f...,f...->...", samples, kept, dtype=np.float32) / count


class Stages:
    """Seconds of each stage, and what the process took."""

    def __init__(self):
        self.seconds, self.begin = {}, time.perf_counter()

    def end(self, name):
        now = time.perf_counter()
        self.seconds[name] = self.seconds.get(name, 0) + now - self.begin
        self.begin = now

    def write(self, report, more=None):
        usage = resource.getrusage(resource.RUSAGE_SELF)
        figures = {
            "stages": [{"name": name, "seconds": seconds} for name, seconds in self.seconds.items()],
            "peak_memory_mib": usage.ru_maxrss // 1024,
            "cpu_seconds": usage.ru_utime + usage.ru_stime,
            **(more or {}),
        }
        Path(report).write_text(json.dumps(figures))


def size(path):
    return cv2.imread(path, cv2.IMREAD_UNCHANGED).shape


def decode(report, frames):
    """Only reads the frames, in two processes."""
    begin = time.perf_counter()
    with multiprocessing.Pool(2) as pool:
        pool.map(size, frames, chunksize=1)
    seconds = time.perf_counter() - begin
    figures = {"stages": [{"name": "frames", "seconds": seconds}], "peak_memory_mib": 0}
    Path(report).write_text(json.dumps(figures))


def main():
    mode, method, out, report, *frames = sys.argv[1:]
    if mode == "decode":
        return decode(report, frames)
    stages = Stages()
    find, fit = (stars, star_homography) if mode == "stars" else (scene_features, scene_homography)
    middle = len(frames) // 2
    light = linear(cv2.imread(frames[middle], cv2.IMREAD_UNCHANGED))
    height, width = light.shape[:2]
    stages.end("frames")
    reference = find(light)
    stages.end("align")
    with tempfile.TemporaryDirectory(dir=Path(out).parent) as scratch:
        shape = (len(frames), height, width, 3)
        warped = np.memmap(Path(scratch) / "warped", np.float32, "w+", shape=shape)
        motions = []
        for index, path in enumerate(frames):
            if index == middle:
                warped[index] = light
                motions.append(np.eye(3).tolist())
                continue
            own = linear(cv2.imread(path, cv2.IMREAD_UNCHANGED))
            stages.end("frames")
            motion = fit(find(own), reference)
            stages.end("align")
            warped[index] = cv2.warpPerspective(own, motion, (width, height), flags=cv2.INTER_LANCZOS4)
            motions.append(motion.tolist())
            stages.end("combine")
        result = np.empty((height, width, 3), np.float32)
        rows = max(1, CHUNK_BYTES // (len(frames) * width * 12))
        reduce = clipped_mean if method == "clipped" else lambda s: np.median(s, axis=0)
        for y in range(0, height, rows):
            result[y : y + rows] = reduce(np.asarray(warped[:, y : y + rows]))
        stages.end("combine")
        del warped
    cv2.imwrite(out, encoded(result), [cv2.IMWRITE_TIFF_COMPRESSION, 1])
    stages.end("export")
    stages.write(report, {"motions": motions})


if __name__ == "__main__":
    main()
