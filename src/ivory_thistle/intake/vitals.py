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
VITALS = """() => {
  const {lcp, shifts} = window.__thistle;
  const name = (n) => !n || !n.tagName ? '' : n.tagName.toLowerCase() + (n.currentSrc ? ' ' + n.currentSrc : '');
  const without = new Set('PICTURE SOURCE'.split(' '));
  const nodes = [...document.querySelectorAll('*')].filter((n) => !without.has(n.tagName));
  return {
    lcp: lcp && lcp.url || '',
    element: lcp && lcp.element ? lcp.element.tagName.toLowerCase() : '',
    at: lcp && lcp.element ? nodes.indexOf(lcp.element) : -1,
    milliseconds: lcp ? lcp.startTime : 0,
    shift: shifts.reduce((sum, s) => sum + s.value, 0),
    shifting: [...new Set(shifts.flatMap((s) => s.sources.map((x) => name(x.node))).filter(Boolean))].slice(0, 20),
  };
}"""
"""`at` is the place of the element among all but `picture` and `source`, in tree order; -1 where none is known."""
