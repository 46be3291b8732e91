() => {
  const width = innerWidth;
  const found = [];
  if (document.scrollingElement.scrollWidth > width + 1) found.push(`the page: ${document.scrollingElement.scrollWidth}`);
  const scrolls = (element) => ["auto", "scroll"].includes(getComputedStyle(element).overflowX);
  const within = (element) => { for (let e = element.parentElement; e; e = e.parentElement) if (scrolls(e)) return true; return false; };
  for (const element of document.body.querySelectorAll("*:not(svg *)")) {
    if (!element.checkVisibility({ visibilityProperty: true }) || element.closest(".sr-only")) continue;
    const box = element.getBoundingClientRect();
    if (!box.width || !box.height) continue;
    const what = `${element.tagName}.${element.className} ${element.textContent.trim().slice(0, 60)}`;
    if (!within(element) && (box.right > width + 1 || box.left < -1)) found.push(`out: ${what}`);
    const shown = getComputedStyle(element);
    const text = element.matches("td, th, p, span, h1, h2, h3, label, dt, dd, legend, button, a");
    // A title that is cut short with dots says so, and stands in full below.
    if (!text || shown.display === "inline" || scrolls(element) || shown.textOverflow === "ellipsis") continue;
    if (element.clientWidth && element.scrollWidth > element.clientWidth + 1) found.push(`cut: ${what}`);
  }
  return found;
}
