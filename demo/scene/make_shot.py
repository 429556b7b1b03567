#!/usr/bin/env python3
"""Writes the demo's shots: demo/boathouse.zentil, the lamp stand and its shadow taken out by the plate's own frames (demo/mend.json), and
tests/painted/boathouse.zentil, by a frame that is painted from the truth.

    python3 make_shot.py DEMODIR ZENTIL-BATCH

The mattes are drawn as a person would draw them, generously around what is to go, on frame 1036; the numbers come from where the things stand in
the scene, so that the outline does not have to be drawn again when the scene is rendered anew.
"""
import json, os, subprocess, sys, tempfile
import numpy as np
import cv2
import path as p

FRAME = 1036
K = np.array([[p.FX, 0, p.CX], [0, p.FY, p.CY], [0, 0, 1]])
DIST = np.array([p.LENS[k] for k in ("k1", "k2", "p1", "p2", "k3")])
STAND = np.array([0.22, 0, 2.0])


def plate_pixel(world, frame=FRAME):
    c, r = p.pose(frame)
    q = r.T @ (np.asarray(world, float) - c)
    return cv2.projectPoints(np.array([[q[0], -q[1], -q[2]]]), np.zeros(3), np.zeros(3), K, DIST)[0][0, 0]


def shape(world_points):
    return {"adds": True, "points": [{"at": [round(float(v), 2) for v in plate_pixel(w)], "in": [0, 0], "out": [0, 0]} for w in world_points]}


def plane(i, name, position, turn, size, blocks=True, kind="plane"):
    return {"id": i, "name": name, "kind": kind, "position": position, "turn": turn, "size": size, "blocks": blocks}


def patch(i, name, surface, matte, frame, first, last, picture=None):
    e = {"id": i, "name": name, "kind": "patch", "on": True, "surface": surface, "matte": matte, "sourceFrame": frame, "range": [first, last],
         "opacity": 1.0, "merge": "over", "gain": [1, 1, 1], "offset": [0, 0, 0]}
    if picture:
        e["picture"] = picture
    return e


def barrel_mesh(file, height=0.92, radius=0.34, around=72):
    """A barrel as the scene builds it: staves, a stack of ten cones, and four hoops that stand off them."""
    bulge = lambda t: 0.14 * np.sin(np.pi * t)
    strips = [[(t, 0.86 + bulge(t)) for t in np.linspace(0, 1, 11)]]
    strips += [[(t, 0.875 + bulge(t)) for t in (0.06 + 0.28 * k, 0.11 + 0.28 * k)] for k in range(4)]
    count = 0
    with open(file, "w") as o:
        o.write("# a barrel of the demo's set, metres, standing on y = 0\n")
        for strip in strips:
            for t, r in strip:
                for i in range(around):
                    a = 2 * np.pi * i / around
                    o.write("v %.6f %.6f %.6f\n" % (radius * r * np.sin(a), height * t, radius * r * np.cos(a)))
            for j in range(len(strip) - 1):
                for i in range(around):
                    a, b = count + j * around + i + 1, count + j * around + (i + 1) % around + 1
                    o.write(f"f {a} {b} {b + around} {a + around}\n")
            count += len(strip) * around


def main(demo, batch):
    barrel_mesh(f"{demo}/barrel.obj")
    barrel_mesh(f"{demo}/barrel_low.obj", 0.86, 0.32)
    upright, flat = [1, 0, 0, 0, 1, 0, 0, 0, 1], [1, 0, 0, 0, 0, 1, 0, -1, 0]
    surfaces = [
        plane("s1", "plank wall", [0.05, 1.575, 0], upright, [6.7, 3.15, 1]),
        plane("s2", "slip", [0, 0, 5.5], flat, [13, 11, 1]),
        plane("s3", "stand card", [0.22, 1.2, 2.0], upright, [1.4, 2.6, 1], blocks=False),
        {**plane("s4", "near barrel", [2.45, 0, 3.55], upright, [1, 1, 1], kind="mesh"), "mesh": "barrel_low.obj"},
        {**plane("s6", "back barrel", [3.02, 0, 0.36], upright, [1, 1, 1], kind="mesh"), "mesh": "barrel.obj"},
        {**plane("s5", "far barrel", [3.25, 0, 1.75], upright, [1, 1, 1], kind="mesh"), "mesh": "barrel.obj"},
    ]
    on_card = lambda x, y: STAND + (x, y, 0)
    stand = [on_card(x, y) for x, y in [(-0.28, 2.42), (0.25, 2.42), (0.27, 1.92), (0.11, 1.84), (0.11, 0.85), (0.40, 0.42), (0.62, -0.06),
                                        (0.30, -0.22), (-0.30, -0.22), (-0.60, -0.06), (-0.38, 0.42), (-0.11, 0.85), (-0.11, 1.84), (-0.30, 1.92)]]
    on_floor = lambda x, z: np.array([x, 0, z])
    # The shadow runs away from the sun: the direction on the floor, and how far a height reaches.
    sun = np.array([-0.80, 0.66, 0.34])
    along = np.array([-sun[0], -sun[2]]) / sun[1]
    foot = np.array([STAND[0], STAND[2]])
    tip = foot + 2.36 * along
    side = np.array([along[1], -along[0]]) / np.linalg.norm(along)
    ring = lambda d, w: on_floor(*(foot + d * along + w * side))
    shadow = [ring(-0.25, 0.55), ring(0.5, 0.52), ring(1.2, 0.26), ring(1.85, 0.30), ring(2.5, 0.34),
              ring(2.55, -0.34), ring(1.85, -0.30), ring(1.2, -0.26), ring(0.5, -0.52), ring(-0.25, -0.55)]
    cable = [on_floor(*(foot + q)) for q in [(0.2, 0.62), (-0.6, 0.66), (-1.3, 0.52), (-1.8, 0.44), (-1.8, -0.12), (-1.3, -0.16), (-0.6, -0.14), (0.2, -0.3)]]
    on_barrel = lambda degrees, y: (3.02 + 0.32 * np.sin(np.radians(degrees)), y, 0.36 + 0.32 * np.cos(np.radians(degrees)))
    barrel = [on_barrel(a, y) for a, y in [(-98, -0.02), (-50, -0.03), (-5, -0.03), (20, 0.0), (10, 0.30), (-40, 0.44), (-98, 0.44)]]
    mattes = [
        {"id": "m1", "name": "stand outline", "frame": FRAME, "featherPx": 8, "rides": "surface", "surface": "s3", "inverted": False, "shapes": [shape(stand)]},
        {"id": "m2", "name": "shadow and cable", "frame": FRAME, "featherPx": 12, "rides": "surface", "surface": "s2", "inverted": False, "shapes": [shape(shadow), shape(cable)]},
        {"id": "m3", "name": "shadow on the barrel", "frame": FRAME, "featherPx": 6, "rides": "surface", "surface": "s6", "inverted": False, "shapes": [shape(barrel)]},
    ]
    clean = f"slip_painted.{FRAME}.exr"
    # The wall behind the stand is seen from the far ends of the move; in between the stand hides it from everywhere, and the painted frame helps.
    elements = [
        patch("e1", "Wall, early", "s1", "m1", p.LAST, p.FIRST, 1022),
        patch("e2", "Wall, midway", "s1", "m1", FRAME, 1023, 1049, clean),
        patch("e3", "Wall, late", "s1", "m1", p.FIRST, 1050, p.LAST),
        patch("e4", "Slip under the stand", "s2", "m1", FRAME, p.FIRST, p.LAST, clean),
        patch("e6", "Shadow on the slip", "s2", "m2", FRAME, p.FIRST, p.LAST, clean),
        patch("e7", "Shadow on the barrel", "s6", "m3", FRAME, p.FIRST, p.LAST, clean),
        {"id": "e5", "name": "Checker on the wall", "kind": "checker", "on": False, "surface": "s1", "matte": "", "range": [p.FIRST, p.LAST], "opacity": 0.6, "merge": "over", "squareM": 0.5, "lines": False, "sourceFrame": FRAME},
    ]
    # The mooring buoy of later work: there, but not shown, for the shot as it is delivered is the one without the stand.
    render = lambda i, name, files, shadow: {
        "id": i, "name": name, "kind": "cg", "on": False, "surface": "", "matte": "", "range": [p.FIRST, p.LAST], "opacity": 1.0, "merge": "over", "shadow": shadow, "premultiplied": True,
        "shift": 0, "beyond": "nothing", "gain": [1, 1, 1], "offset": [0, 0, 0], "sourceFrame": 0,
        "render": {"files": files, "range": [p.FIRST, p.LAST], "fps": 24.0, "width": p.W + 2 * p.PAD_X, "height": p.H + 2 * p.PAD_Y, "origin": [-p.PAD_X, -p.PAD_Y], "colourSpace": "scene_linear"}}
    elements += [render("e8", "Buoy's shadow", "cg/buoy_shadow.####.exr", True), render("e9", "Buoy", "cg/buoy.####.exr", False)]
    poses = []
    for f in range(p.FIRST, p.LAST + 1):
        c, r = p.pose(f)
        poses.append({"frame": f, "position": [float(v) for v in c], "rotation": [float(v) for v in r.ravel()], "focalMm": p.FOCAL})
    shot = {"type": "zentil-shot", "version": 1, "name": "boathouse",
            "plate": {"files": "plate/boathouse.####.exr", "range": [p.FIRST, p.LAST], "fps": 24.0, "width": p.W, "height": p.H, "colourSpace": "scene_linear"},
            "range": [p.FIRST, p.LAST], "lens": {**p.LENS, "source": "lens.json"},
            "camera": {"source": "camera.csv", "backMm": list(p.BACK), "centreOffsetPx": [p.CX - p.W / 2, p.CY - p.H / 2], "poses": poses},
            "points": [[*map(float, q), -1.0, 0] for _, q in p.points()], "surfaces": surfaces, "mattes": mattes, "elements": elements,
            "delivery": {"files": "deliver/boathouse_clean.####.exr", "half": True, "compression": "piz", "quality": 95}}

    def write(file, shot):
        with open(file, "w") as o:
            json.dump(shot, o, indent=1)
            o.write("\n")

    # The tests' shot lies elsewhere, and names the demo's files from there.
    away = json.loads(json.dumps(shot))
    there = lambda files: "../../demo/" + files
    away["plate"]["files"] = there(away["plate"]["files"])
    for s in away["surfaces"]:
        if "mesh" in s:
            s["mesh"] = there(s["mesh"])
    for e in away["elements"]:
        if "render" in e:
            e["render"]["files"] = there(e["render"]["files"])
    write(f"{demo}/../tests/painted/boathouse.zentil", away)

    # The demo's own: without what was painted, mended by its list; what is laid over all of it stays on top.
    on_top = [e for e in elements if e["kind"] != "patch"]
    write(f"{demo}/boathouse.zentil", {**shot, "elements": on_top, "mattes": mattes[:1]})
    with tempfile.TemporaryDirectory() as folder:
        order = os.path.join(folder, "order.json")
        edits = json.load(open(f"{demo}/mend.json"))
        last = len(on_top) + sum("element" in e for e in edits)
        json.dump([{"move": "elements." + e["id"], "to": last} for e in on_top], open(order, "w"))
        for edits in (f"{demo}/mend.json", order):
            subprocess.run([batch, "edit", f"{demo}/boathouse.zentil", edits], check=True)


if __name__ == "__main__":
    main(*sys.argv[1:])
