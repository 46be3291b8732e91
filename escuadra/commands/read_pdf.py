"""A PDF on standard input becomes its text on standard output: no more than a report has, and nothing of it is run.

A program of its own, run for one file at a time with bounds on memory and time, since a small file may unfold into
gigabytes. It ends with exit status 2 where the file cannot be read.
"""

import io
import resource
import sys

MOST_PAGES, MOST_LETTERS = 60, 200_000
MOST_MEMORY = 1_500_000_000
MOST_SECONDS = 20


def main() -> None:
    """Read what comes in."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    from pypdf import PdfReader

    try:
        pages = PdfReader(io.BytesIO(sys.stdin.buffer.read())).pages
        text = "\n".join(pages[k].extract_text() for k in range(min(len(pages), MOST_PAGES)))
    except Exception as error:
        print(type(error).__name__, file=sys.stderr)
        sys.exit(2)
    sys.stdout.buffer.write(text[:MOST_LETTERS].encode("utf-8", "replace"))


if __name__ == "__main__":
    main()
