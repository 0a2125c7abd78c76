"""Writes core/trace/tests/samples/standing/distances.json: distances in real scenes by an independent ray
library (trimesh with embreex, double-checked by exact point-to-triangle distances in numpy).

Run by hand when scenes or eyes change: pip install trimesh embreex numpy scipy, then
  python3 script/reference_distances.py COURTYARD.obj ENGINE.glb TRUCK.gltf CORNELL.obj
"""

import json
import sys

import numpy as np
import trimesh

EYES = {
    "courtyard": [[0, 3, 0], [-25.05, 4.45, 2.84], [20, 1.6, -8]],
    "engine": [[0, 300, 0], [500, 0, 100]],
    "truck": [[0, 1.6, 3], [4, 1.2, 0]],
    "cornell": [[278, 273, 279], [100, 120, 500]],
}
AXES = {"+x": [1, 0, 0], "-x": [-1, 0, 0], "+y": [0, 1, 0], "-y": [0, -1, 0], "+z": [0, 0, 1], "-z": [0, 0, -1]}


def spiral(count):
    """The same even directions as the product's own scan uses, from the published formula."""
    i = np.arange(count)
    up = 1 - 2 * (i + 0.5) / count
    angle = np.pi * (np.sqrt(5) - 1) * i
    level = np.sqrt(1 - up * up)
    return np.stack([np.cos(angle) * level, up, np.sin(angle) * level], 1)


def nearest(mesh, eye):
    """Exact least distance from a point to all triangles (Ericson 2005, Real-Time Collision Detection, 5.1.5)."""
    closest = trimesh.triangles.closest_point(mesh.triangles, np.tile(eye, (len(mesh.triangles), 1)))
    return float(np.linalg.norm(closest - eye, axis=1).min())


def load(path):
    """A scene as one mesh; Cornell's negative indices are read here, the library takes them for missing."""
    if "cornell" not in path:
        return trimesh.load(path, force="mesh", process=False)
    points, faces = [], []
    for line in open(path):
        parts = line.split()
        if parts[:1] == ["v"]:
            points.append([float(v) for v in parts[1:4]])
        elif parts[:1] == ["f"]:
            ids = [int(p.split("/")[0]) for p in parts[1:]]
            ids = [i - 1 if i > 0 else len(points) + i for i in ids]
            faces += [[ids[0], ids[k], ids[k + 1]] for k in range(1, len(ids) - 1)]
    return trimesh.Trimesh(points, faces, process=False)


out = {}
for name, path in zip(EYES, sys.argv[1:]):
    mesh = load(path)
    rays = trimesh.ray.ray_pyembree.RayMeshIntersector(mesh, scale_to_box=False)
    out[name] = []
    for eye in EYES[name]:
        eye = np.array(eye, float)
        entry = {"eye": eye.tolist(), "axes": {}, "nearest": nearest(mesh, eye)}
        for axis, direction in AXES.items():
            hit, _, _ = rays.intersects_location([eye], [direction], multiple_hits=False)
            entry["axes"][axis] = float(np.linalg.norm(hit[0] - eye)) if len(hit) else None
        directions = spiral(16384)
        first = rays.intersects_first(np.tile(eye, (len(directions), 1)), directions)
        entry["covered"] = float((first >= 0).mean())
        out[name].append(entry)
    print(name, len(mesh.triangles), out[name])
json.dump(out, open("core/trace/tests/samples/standing/distances.json", "w"), indent=1)
