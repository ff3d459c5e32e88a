// Run in a page by a driver: scrolls through it, so that what waits is loaded, and tells what it
// shows, where and how wide. The last argument is who is told.
const tell = arguments[arguments.length - 1];
const pause = time => new Promise(go => setTimeout(go, time));
const MOST = 20000;

// Addresses in a computed style, one list a layer.
const layers = value => {
  const parts = [];
  let depth = 0, quote = "", from = 0;
  for (let at = 0; at <= value.length; at++) {
    const sign = value[at];
    if (quote) {
      if (sign === "\\") at++;
      else if (sign === quote) quote = "";
    } else if (sign === '"' || sign === "'") quote = sign;
    else if (sign === "(") depth++;
    else if (sign === ")") depth--;
    else if ((sign === "," && depth === 0) || sign === undefined) {
      parts.push(value.slice(from, at).trim());
      from = at + 1;
    }
  }
  return parts;
};
const addresses = value => [...value.matchAll(/url\("((?:[^"\\]|\\.)*)"\)/g)].map(found => found[1].replace(/\\(.)/g, "$1"));

const measure = () => {
  const shown = [];
  const add = (address, role, box, offset, more) => {
    if (!address || shown.length >= MOST) return;
    shown.push({ address, role, x: box.left + offset.x, y: box.top + offset.y, width: box.width, height: box.height, ...more });
  };
  // Whether nothing but its pixels gives a picture its height.
  const isUnsized = img => {
    const style = getComputedStyle(img);
    if (/absolute|fixed/.test(style.position) || style.display === "none") return false;
    if (img.hasAttribute("width") && img.hasAttribute("height")) return false;
    if (style.aspectRatio && !style.aspectRatio.startsWith("auto")) return false;
    const height = img.computedStyleMap && img.computedStyleMap().get("height");
    return !height || height.value === "auto";
  };
  const visit = (root, offset, depth) => {
    const all = root.querySelectorAll("*");
    for (const element of all) {
      if (shown.length >= MOST) return;
      const box = element.getBoundingClientRect();
      const name = element.localName;
      if (name === "img") {
        const fit = getComputedStyle(element).objectFit;
        add(element.currentSrc, "image", box, offset, { fit, own_width: element.naturalWidth, own_height: element.naturalHeight, unsized: isUnsized(element), lazy: element.loading === "lazy" });
      } else if (name === "input" && element.type === "image") add(element.src, "button", box, offset, {});
      else if (name === "video") add(element.poster, "poster", box, offset, {});
      else if (name === "image" && element.href) add(new URL(element.href.baseVal, document.baseURI).href, "drawing", box, offset, {});
      else if (name === "object" || name === "embed") add(element.data || element.src, "embedded", box, offset, {});
      for (const part of [null, "::before", "::after"]) {
        const style = getComputedStyle(element, part);
        if (part && (style.content === "none" || style.content === "normal")) continue;
        const sizes = layers(style.backgroundSize);
        layers(style.backgroundImage).forEach((layer, index) => {
          for (const address of addresses(layer)) add(address, "style", box, offset, { size: sizes[index % sizes.length] });
        });
        for (const other of [style.maskImage, style.borderImageSource, style.listStyleImage, part ? style.content : ""])
          for (const address of addresses(other || "")) add(address, "style", box, offset, { size: "contain" });
      }
      if (element.shadowRoot) visit(element.shadowRoot, offset, depth);
      if (name === "iframe" && depth > 0) {
        // Only frames of the same site can be looked into.
        let inner = null;
        try { inner = element.contentDocument; } catch { }
        if (inner) visit(inner, { x: offset.x + box.left, y: offset.y + box.top }, depth - 1);
      }
    }
  };
  visit(document, { x: scrollX, y: scrollY }, 3);
  return shown;
};

(async () => {
  let shift = 0;
  try {
    new PerformanceObserver(list => {
      for (const entry of list.getEntries()) if (!entry.hadRecentInput) shift += entry.value;
    }).observe({ type: "layout-shift", buffered: true });
  } catch { }
  performance.setResourceTimingBufferSize(MOST);
  const end = performance.now() + 20000;
  const height = () => Math.min(document.documentElement.scrollHeight, 100000);
  for (let top = 0; top < height() && performance.now() < end; top += innerHeight / 2) {
    scrollTo(0, top);
    await pause(60);
  }
  scrollTo(0, 0);
  while ([...document.images].some(img => !img.complete) && performance.now() < end) await pause(100);
  await pause(100);
  const loaded = performance.getEntriesByType("resource").slice(0, MOST);
  tell({
    width: innerWidth, height: innerHeight, length: height(), shift,
    shown: measure(),
    loaded: loaded.map(entry => ({ address: entry.name, by: entry.initiatorType, weight: entry.encodedBodySize })),
  });
})();
