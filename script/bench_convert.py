"""The references for conversion: OpenCV's remap (with and without making its maps) and ffmpeg's general
remapping filter, one thread each, on a 4096 x 2048 picture. Prints megapixels per CPU second."""

import os
import subprocess
import time

os.environ["OMP_NUM_THREADS"] = "1"
import cv2
import numpy as np

cv2.setNumThreads(1)
W, H, N = 4096, 2048, 1024
x, y = np.meshgrid(np.arange(W), np.arange(H))
picture = np.stack([x ^ y, x * 3 + y, (x * y) >> 7], -1).astype(np.uint8)


def face_directions(k, n):
    s, t = np.meshgrid((np.arange(n) + 0.5) / n * 2 - 1, (np.arange(n) + 0.5) / n * 2 - 1)
    one = np.ones_like(s)
    return [
        (-one, -t, -s),
        (s, -t, -one),
        (one, -t, s),
        (-s, -t, one),
        (s, one, -t),
        (s, -one, t),
    ][k]


def sphere_map(d):
    lon = np.arctan2(d[0], -d[2])
    lat = np.arctan2(d[1], np.hypot(d[0], d[2]))
    return (
        ((0.5 + lon / (2 * np.pi)) * W - 0.5).astype(np.float32),
        ((0.5 - lat / np.pi) * H - 0.5).astype(np.float32),
    )


def to_faces_maps():
    return [sphere_map(face_directions(k, N)) for k in range(6)]


def to_sphere_maps():
    u, v = np.meshgrid((np.arange(W) + 0.5) / W, (np.arange(H) + 0.5) / H)
    lon, lat = (u - 0.5) * 2 * np.pi, (0.5 - v) * np.pi
    d = np.stack([np.cos(lat) * np.sin(lon), np.sin(lat), -np.cos(lat) * np.cos(lon)])
    a = np.abs(d)
    z = (a[2] >= a[0]) & (a[2] >= a[1])
    xx = ~z & (a[0] >= a[1])
    face = np.where(z, np.where(d[2] < 0, 1, 3), np.where(xx, np.where(d[0] > 0, 2, 0), np.where(d[1] > 0, 4, 5)))
    right = np.choose(face, [-d[2], d[0], d[2], -d[0], d[0], d[0]])
    down = np.choose(face, [-d[1], -d[1], -d[1], -d[1], -d[2], d[2]])
    depth = np.max(a, 0)
    return [
        (
            ((right / depth + 1) / 2 * N - 0.5).astype(np.float32),
            ((down / depth + 1) / 2 * N - 0.5 + face * N).astype(np.float32),
        )
    ]


def perspective_maps():
    w, h = 1920, 1280
    px, py = np.meshgrid((np.arange(w) + 0.5) / w * 2 - 1, (np.arange(h) + 0.5) / h * 2 - 1)
    d = (px, -py / 1.5, -np.ones_like(px))
    return [sphere_map(d)]


def best(f, rounds=5):
    times = []
    for _ in range(rounds):
        start = time.process_time()
        f()
        times.append(time.process_time() - start)
    return min(times)


def remap(src, maps, kernel):
    return [cv2.remap(src, a, b, kernel, borderMode=cv2.BORDER_WRAP) for a, b in maps]


KERNELS = {"Bilinear": cv2.INTER_LINEAR, "Bicubic": cv2.INTER_CUBIC, "Lanczos4": cv2.INTER_LANCZOS4}
print("| conversion | kernel | OpenCV 8 bit, maps ready / one-shot | OpenCV float, maps ready / one-shot |")
print("|---|---|---|---|")
for name, make, kernels in [
    ("sphere to six faces", to_faces_maps, KERNELS),
    ("faces to sphere", to_sphere_maps, ["Bilinear"]),
    ("sphere to perspective", perspective_maps, ["Bilinear"]),
]:
    maps = make()
    pixels = sum(a.size for a, _ in maps) / 1e6
    making = best(make, 2)
    source = np.resize(picture, (6 * N, N, 3)) if name == "faces to sphere" else picture
    for kernel in kernels:
        cells = []
        for src in (source, source.astype(np.float32)):
            ready = best(lambda: remap(src, maps, KERNELS[kernel]))
            cells.append(f"{pixels / ready:.1f} / {pixels / (ready + making):.1f}")
        print(f"| {name} | {kernel} | {cells[0]} | {cells[1]} |")


def ffmpeg(frames, to, size, kernel):
    command = [
        "ffmpeg", "-v", "error", "-nostdin", "-threads", "1", "-filter_threads", "1",
        "-f", "lavfi", "-i", f"testsrc=s={W}x{H}:r=1:d={frames},format=gbrp",
        "-vf", f"v360=e:{to}:interp={kernel}:w={size[0]}:h={size[1]}", "-f", "null", "-",
    ]
    start = os.times()
    subprocess.run(command, check=True)
    end = os.times()
    return end.children_user - start.children_user


print("\n| conversion | kernel | ffmpeg's filter, 8 bit, maps ready |\n|---|---|---|")
for name, to, size in [("sphere to six faces", "c1x6", (N, 6 * N)), ("sphere to perspective", "flat:h_fov=90:v_fov=67.4", (1920, 1280))]:
    for kernel in ("linear", "cubic", "lanczos"):
        # The cost of frames beyond the first ones: the source's own drawing is taken off.
        drawn = 8
        few, many = ffmpeg(2, to, size, kernel), ffmpeg(2 + drawn, to, size, kernel)
        bare = subprocess.run(
            ["bash", "-c", f"TIMEFORMAT=%U; time ffmpeg -v error -nostdin -threads 1 -f lavfi -i testsrc=s={W}x{H}:r=1:d={drawn},format=gbrp -f null -"],
            capture_output=True, text=True, check=True,
        ).stderr.strip().splitlines()[-1]
        seconds = max(many - few - float(bare), 1e-3) / drawn
        print(f"| {name} | {kernel} | {size[0] * size[1] / seconds / 1e6:.1f} |")
