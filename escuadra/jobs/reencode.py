"""A picture on standard input becomes a plain JPEG on standard output: upright, small, nothing beside the picture.

A program of its own, run for one picture at a time with bounds on memory and time, since a small file may unfold into
gigabytes. Its size is read before anything is decoded. On standard error: width and height, or, with exit status 2,
what was given and, on the next line, what is accepted.
"""

import io
import resource
import sys

MOST_PIXELS = 50_000_000
LONGEST_SIDE = 2000
QUALITY = 85
MOST_MEMORY = 1_500_000_000
MOST_SECONDS = 30


def refuse(given: str, accepted: str) -> None:
    """Say what is wrong and end."""
    print(given, accepted, sep="\n", file=sys.stderr)
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
                refuse(f"{width} × {height} pixels", f"a picture of at most {MOST_PIXELS // 1_000_000} megapixels")
            picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
            picture.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
            plain = ImageOps.exif_transpose(picture).convert("RGB")
    except UnidentifiedImageError:
        refuse("a file that is no picture", "a JPEG, PNG or WebP picture")
    except (OSError, ValueError, SyntaxError, MemoryError) as error:
        refuse(f"a picture that cannot be read ({str(error)[:60] or type(error).__name__})", "a whole picture")
    bare = Image.new("RGB", plain.size)
    bare.paste(plain)
    bare.save(sys.stdout.buffer, "JPEG", quality=QUALITY)
    print(*bare.size, file=sys.stderr)


if __name__ == "__main__":
    main()
