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
  for (const button of document.body.querySelectorAll("button, .button")) {
    if (!button.checkVisibility({ visibilityProperty: true })) continue;
    const box = button.getBoundingClientRect();
    const words = document.createRange();
    words.selectNodeContents(button);
    const said = words.getBoundingClientRect();
    const cut = said.left < box.left || said.right > box.right || said.top < box.top - 1 || said.bottom > box.bottom + 1;
    const below = document.elementFromPoint(box.left + 3, box.top + box.height / 2);
    const hidden = below && below.closest(".foot-left, .foot-right") && !button.closest(".menu-list") && !button.contains(below);
    const fixed = button.closest(".foot-left, .foot-right");
    if (said.width && (cut || (fixed && hidden && !document.querySelector("details.menu[open]")))) found.push(`squeezed: ${button.textContent.trim()}`);
  }
  for (const text of document.body.querySelectorAll("svg text")) {
    const box = text.getBoundingClientRect();
    const drawing = text.ownerSVGElement.getBoundingClientRect();
    const cut = box.left < drawing.left - 1 || box.right > drawing.right + 1;
    if (box.width && drawing.width && cut) found.push(`cut in a drawing: ${text.textContent}`);
    const frame = text.closest(".drawing-frame");
    if (!frame || !box.width) continue;
    const laid = [...frame.parentElement.querySelectorAll(".title-block, .legend")].map((over) => over.getBoundingClientRect());
    const on = laid.some((o) => o.width && box.left < o.right && o.left < box.right && box.top + 3 < o.bottom && o.top < box.bottom - 3);
    if (on || box.bottom > frame.getBoundingClientRect().bottom + 1) found.push(`hidden in the drawing: ${text.textContent}`);
  }
  return found;
}
