"""A picture on standard input becomes a plain JPEG on standard output: upright, small, nothing beside the picture.

A program of its own, run for one picture at a time with bounds on memory and time, since a small file may unfold into
gigabytes. Its size is read before anything is decoded. On standard error: width and height, or, with exit status 2,
the code of what is wrong, and its values.
"""

import io
import resource
import sys

MOST_PIXELS = 50_000_000
LONGEST_SIDE = 2000
QUALITY = 85
MOST_MEMORY = 1_500_000_000
MOST_SECONDS = 30


def refuse(*what: object) -> None:
    """Say by its code what is wrong, and end."""
    print(*what, file=sys.stderr)
    sys.exit(2)


def main() -> None:
    """Re-encode what comes in."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    from PIL import Image, ImageOps, UnidentifiedImageError

    Image.MAX_IMAGE_PIXELS = None
    try:
        with Image.open(io.BytesIO(sys.stdin.buffer.read()), formats=("JPEG", "PNG", "WEBP")) as picture:
            width, height = picture.size
            if width * height > MOST_PIXELS:
                refuse("pixels", width, height)
            picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
            picture.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
            plain = ImageOps.exif_transpose(picture).convert("RGB")
    except UnidentifiedImageError:
        refuse("no_picture")
    except (OSError, ValueError, SyntaxError, MemoryError) as error:
        refuse("unreadable", str(error)[:60] or type(error).__name__)
    bare = Image.new("RGB", plain.size)
    bare.paste(plain)
    bare.save(sys.stdout.buffer, "JPEG", quality=QUALITY)
    print(*bare.size, file=sys.stderr)


if __name__ == "__main__":
    main()
