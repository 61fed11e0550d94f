"""The reference: a general-purpose image library doing the same. Reads a wish as JSON from its
argument, and prints what it took as JSON."""

import json
import resource
import sys
import time
from multiprocessing.pool import ThreadPool

import pyvips

wish = json.loads(sys.argv[1])
JPEG = dict(
    optimize_coding=True, interlace=True, trellis_quant=True,
    overshoot_deringing=True, optimize_scans=True, quant_table=3,
)


def encoded(image):
    """The three files, at the qualities that are wished for."""
    return {
        "jpeg": image.jpegsave_buffer(Q=wish["jpeg"], **JPEG),
        "webp": image.webpsave_buffer(Q=wish["webp"], effort=4),
        "avif": image.heifsave_buffer(
            compression="av1", Q=wish["avif"], bitdepth=8, effort=wish["avif_effort"], subsample_mode="on"
        ),
    }


def ladder(path):
    """The bytes of each format, of every width; nothing is encoded where that is not wished for."""
    total = {"jpeg": 0, "webp": 0, "avif": 0}
    for width in wish["widths"][path]:
        image = pyvips.Image.thumbnail(path, width, size="down", height=100_000, linear=wish["linear"])
        image = image.copy_memory()
        if wish["encode"]:
            for name, data in encoded(image).items():
                total[name] += len(data)
    return total


def files(path):
    """Writes the three files beside the pixels that they are made of."""
    image = pyvips.Image.new_from_file(path).copy_memory()
    for name, data in encoded(image).items():
        with open(f"{path}.{name}", "wb") as out:
            out.write(data)


def stills(path):
    """Writes AVIFs of libaom's still-picture tuning at the steps that are wished for."""
    from PIL import Image

    image = Image.open(path).convert("RGB")
    for name, speed, chroma in STILLS:
        for step in wish["steps"]:
            image.save(
                f"{path}.{name}.{step}.avif", "AVIF", quality=step, speed=speed,
                subsampling=chroma, max_threads=1, advanced={"tune": "iq"},
            )


STILLS = [("6-420", 6, "4:2:0"), ("6-444", 6, "4:4:4"), ("4-444", 4, "4:4:4")]


def graphics(path):
    """Writes what a flat picture comes to without loss and at steps of loss."""
    image = pyvips.Image.new_from_file(path).copy_memory()
    files = {
        "same.png": image.pngsave_buffer(compression=9, effort=10),
        "same.webp": image.webpsave_buffer(lossless=True, effort=6),
        "same.avif": image.heifsave_buffer(compression="av1", lossless=True, effort=9),
        "palette.png": image.pngsave_buffer(compression=9, effort=10, palette=True, Q=100),
    }
    for step in wish["steps"]:
        files[f"{step}.webp"] = image.webpsave_buffer(Q=step, effort=6)
        files[f"{step}.avif"] = image.heifsave_buffer(
            compression="av1", Q=step, bitdepth=8, effort=wish["avif_effort"], subsample_mode="off"
        )
    for name, data in files.items():
        with open(f"{path}.{name}", "wb") as out:
            out.write(data)


DOING = {"ladder": ladder, "files": files, "stills": stills, "graphics": graphics}
start = time.perf_counter()
with ThreadPool(wish["threads"]) as pool:
    done = pool.map(DOING[wish["what"]], wish["pictures"], 1)
seconds = time.perf_counter() - start
print(json.dumps({
    "seconds": seconds,
    "bytes": {name: sum(one[name] for one in done if one) for name in ("jpeg", "webp", "avif")},
    "peak_bytes": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
    "version": f"{pyvips.version(0)}.{pyvips.version(1)}.{pyvips.version(2)}",
}))
