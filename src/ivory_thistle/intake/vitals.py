"""What Chromium tells of a page's loading: its largest contentful paint and its layout shift."""

from __future__ import annotations

OBSERVE = """
window.__thistle = {lcp: null, shifts: []};
new PerformanceObserver((l) => { for (const e of l.getEntries()) window.__thistle.lcp = e; })
  .observe({type: 'largest-contentful-paint', buffered: true});
new PerformanceObserver((l) => window.__thistle.shifts.push(...l.getEntries().filter((e) => !e.hadRecentInput)))
  .observe({type: 'layout-shift', buffered: true});
"""
"""To be run before a page's own scripts; the others ask what it noted."""
VITALS = """async () => {
  // Asked first: the box of what is closed (`details`) would have it laid out, and its backgrounds loaded.
  const shows = (node) => isVisible(node, {opacityProperty: true, visibilityProperty: true});
  const size = (node, url, own) => {
    const box = boxOf(node);
    const width = Math.min(box.right, innerWidth) - Math.max(box.left, 0);
    const height = Math.min(box.bottom, innerHeight) - Math.max(box.top, 0);
    const covers = width >= innerWidth && height >= innerHeight;
    if (width <= 0 || height <= 0 || covers) return 0;
    const drawn = box.width * box.height;
    const loaded = performance.getEntriesByName(url)[0];
    const bytes = loaded ? loaded.encodedBodySize : url.length;
    return bytes * 8 < 0.05 * drawn ? 0 : width * height * Math.min(1, own / drawn);
  };
  const shown = [...imagesOf(document)].filter((image) => image.complete && shows(image));
  const sizes = shown.map((image) => size(image, image.currentSrc, image.naturalWidth * image.naturalHeight));
  let largest = sizes.reduce((most, one) => Math.max(most, one), 0);
  const all = everyOf(document, 'body, body *');
  // Of a background, only one that fills its box tells by that box how large it is painted.
  for (let n = 0; n < Math.min(all.length, 5000); n++) {
    const style = shows(all[n]) ? getComputedStyle(all[n]) : {backgroundImage: '', backgroundSize: ''};
    const url = /^url\\("([^"]*)"\\)$/.exec(style.backgroundImage);
    if (url && /^(cover|contain|100%)/.test(style.backgroundSize)) {
      largest = Math.max(largest, size(all[n], url[1], Infinity));
    }
  }
  const painted = () => window.__thistle.lcp && window.__thistle.lcp.size >= 0.9 * largest;
  // Counted, not timed: a page may have a clock of its own.
  for (let n = 0; n < 50 && largest && !painted(); n++) await new Promise((done) => setTimeout(done, 20));
  const {lcp, shifts} = window.__thistle;
  const source = (n) => n instanceof HTMLImageElement && n.currentSrc ? ' ' + n.currentSrc : '';
  const name = (n) => n instanceof Element ? tagOf(n).toLowerCase() + source(n) : '';
  const without = new Set('PICTURE SOURCE'.split(' '));
  const nodes = [...everyOf(document, '*')].filter((n) => !without.has(tagOf(n)));
  return {
    lcp: lcp && lcp.url || '',
    element: lcp && lcp.element ? tagOf(lcp.element).toLowerCase() : '',
    at: lcp && lcp.element ? nodes.indexOf(lcp.element) : -1,
    milliseconds: lcp ? lcp.startTime : 0,
    shift: shifts.reduce((sum, s) => sum + s.value, 0),
    shifting: [...new Set(shifts.flatMap((s) => s.sources.map((x) => name(x.node))).filter(Boolean))].slice(0, 20),
  };
}"""
"""Waits until the largest picture that is seen has been painted, a second at most: a large one is decoded for longer
than it takes to load. As in the specification (w3c.github.io/largest-contentful-paint), what covers the whole screen or
has less than 0.05 bits a pixel as shown does not count.

`at` is the place of the element among all but `picture` and `source`, in tree order; -1 where none is known.
"""
