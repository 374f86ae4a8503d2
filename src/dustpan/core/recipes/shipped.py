"""The recipes that are shipped, one for each kind of work: what ``tools.recipes`` writes into files."""

from __future__ import annotations

from dustpan.core.language import mark

Typed = tuple[str, str, bool, list[str]]  # name, when to use it, whether it is a chain, steps as they are typed
MADE: dict[str, Typed] = {  # by the name of its file
    "concert": (
        mark("Concert at night"),
        mark("High ISO, hand-held: calm shadows, true blacks, crisp faces, nothing plastic."), False,
        ["noise:luminance=0.85,colour=1,give_back=30", "neutral-blacks", "edge-sharpen:amount=1.2 @texture",
         "grain:amount=0.2"],
    ),
    "wildlife": (
        mark("Animal before a soft background"),
        mark("A cropped tele shot: the background calm, only what is sharp sharpened."),
        False,
        ["noise:luminance=0.8", "noise:luminance=0.6,colour=0 @in-focus:inverted=1",
         "edge-sharpen:amount=1.8 @in-focus"],
    ),
    "landscape": (
        mark("Rock and foliage"),
        mark("Texture kept and raised, no rim along the skyline."), False,
        ["noise:luminance=0.6", "fine-detail:radius=2.5,boost=0.8 @texture", "local-contrast"],
    ),
    "backlit": (
        mark("Portrait against the light"),
        mark("Stripes of focus pixels gone, eyes crisp, skin left soft."), False,
        ["stripes", "noise:luminance=0.8", "edge-sharpen:amount=1.5,threshold=3 @edges"],
    ),
    "somebody-elses-jpeg": (
        mark("Somebody else's JPEG"),
        mark("Blocks, ringing and colour speckle out, and the letters kept."), False,
        ["compression-marks", "noise:luminance=0.5,colour=1", "edge-sharpen:amount=0.8"],
    ),
    "render": (
        mark("Render with too few samples"),
        mark("Noise reduced, highlights and fine scratches kept."), False,
        ["fireflies", "noise:luminance=0.9,colour=0.9"],
    ),
    "deep-sky": (
        mark("Deep-sky frame"),
        mark("Hot pixels gone and stars untouched, colour noise neutral."), False,
        ["hot-pixels", "noise:luminance=0.6,colour=1 @stars:inverted=1", "neutral-blacks"],
    ),
    "hand-held": (
        mark("Moved or out of focus"),
        mark("A blur that was measured is taken out, as far as it is sure."), False,
        ["noise:luminance=0.8", "deblur", "edge-sharpen:amount=1"],
    ),
    "detail-in-lights": (
        mark("Detail in the lights"),
        mark("Halo-free detail in one click: laid over twice, by the brightness times itself."), True,
        ["fine-detail:radius=3,boost=0.5 @tones:squared=1", "fine-detail:radius=6,boost=0.3 @tones:squared=1"],
    ),
}  # fmt: skip
SHOWN_ON = {  # the demo picture that each is for
    "concert": "keepers-desk.tif", "wildlife": "shell-drawer.jpg", "landscape": "keepers-desk.jpg",
    "backlit": "gallery-stair.dng", "somebody-elses-jpeg": "catalogue-card.jpg", "render": "lamp-room.exr",
    "deep-sky": "star-field.tif", "hand-held": "shell-drawer-moved.tif", "detail-in-lights": "shell-drawer.jpg",
}  # fmt: skip
