// At once, also where the page's style says `scroll-behavior: smooth`.
globalThis.jumpTo = (y) => scrollTo({top: y, left: 0, behavior: 'instant'});

// Boxes are then the same each time: what moves comes to its end, what moves without end stands as if it did not.
globalThis.endMotion = () => {
  for (const animation of Document.prototype.getAnimations.call(document)) {
    // What moves with the scrolling stands where that puts it.
    if (!(animation.timeline instanceof DocumentTimeline)) continue;
    const endless = animation.effect?.getComputedTiming().endTime === Infinity;
    try {
      if (endless) animation.cancel();
      else animation.finish();
    } catch {
      // A rate of nought has no end to go to.
      animation.cancel();
    }
  }
};
