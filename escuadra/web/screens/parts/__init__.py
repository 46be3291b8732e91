"""Parts: every interface part in every state on one page, so that the look stays in one place."""
