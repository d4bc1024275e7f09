// Scrolls a page through, and what scrolls in it, so that lazy pictures come; ends at the top. `pause`: milliseconds
// that scripts take to notice that it was scrolled; 0 where there are none.
async (pause) => {
  const [MOST_STEPS, LONGEST, MOST_SCROLLERS] = [200, 4000, 100];
  const NAMES_A_PICTURE = /\.(avif|webp|jpe?g|png|gif|svg)\b/i;
  const names = Element.prototype.getAttributeNames;
  const isKept = (node, name) => name.startsWith('data-') && NAMES_A_PICTURE.test(attributeOf(node, name).slice(0, 2000));
  const isLoadedByScript = (node) => names.call(node).some((name) => isKept(node, name));
  const isPatient = pause > 0 && [...everyOf(document, '*')].some(isLoadedByScript);
  let end = performance.now() + LONGEST;
  const noticed = (time) => new Promise((done) => requestAnimationFrame(() => setTimeout(done, time)));
  const through = async (length, step, scroll) => {
    for (let at = 0, n = 0; at < length() && n < MOST_STEPS; at += step, n++) {
      scroll(at);
      await noticed(isPatient && performance.now() < end ? pause : 0);
    }
  };
  await through(() => rootOf(document).scrollHeight, Math.max(200, innerHeight), jumpTo);

  const own = (node, name) => Object.getOwnPropertyDescriptor(Element.prototype, name).get.call(node);
  const canScroll = (node) => /auto|scroll/.test(getComputedStyle(node).overflow);
  const [scrollers, passed] = [[], new Set([rootOf(document)])];
  for (const image of everyOf(document, 'img')) {
    if (image.complete && !isPatient) continue;
    for (let node = parentOf(image); node && !passed.has(node); node = parentOf(node)) {
      passed.add(node);
      if (canScroll(node)) scrollers.push(node);
    }
  }
  end = performance.now() + LONGEST;
  for (const node of scrollers.slice(0, MOST_SCROLLERS)) {
    if (performance.now() > end) break;
    const scroll = (left, top) => Element.prototype.scrollTo.call(node, {left, top, behavior: 'instant'});
    const [left, top] = [own(node, 'scrollLeft'), own(node, 'scrollTop')];
    Element.prototype.scrollIntoView.call(node, {behavior: 'instant', block: 'nearest'});
    await through(() => own(node, 'scrollHeight'), Math.max(50, own(node, 'clientHeight')), (y) => scroll(left, y));
    scroll(left, top);
    await through(() => own(node, 'scrollWidth'), Math.max(50, own(node, 'clientWidth')), (x) => scroll(x, top));
    scroll(left, top);
  }
  jumpTo(0);
  await noticed(pause);
}
