// Every box of the page that shows a picture: elements, and backgrounds of elements and their pseudo-elements.
// The address of a background is the whole computed value.
() => {
  endMotion();
  const placements = [];
  const every = everyOf(document, '*');
  if (every.length > 100_000) throw new Error(`It has ${every.length} elements.`);
  // One style rule may lay a picture of megabytes behind thousands of elements.
  const brief = (value) => value.replace(/data:[^"]{100,}/g, 'data:');
  const around = (node) => {
    const words = [];
    for (let n = node, depth = 0; n && tagOf(n) !== 'BODY' && depth < 4; n = parentOf(n), depth++) {
      words.push(tagOf(n).toLowerCase(), idOf(n), attributeOf(n, 'class') || '');
    }
    return words.filter(Boolean).join(' ').slice(0, 250);
  };
  const add = (kind, node, address, box, fit) => {
    placements.push({
      kind,
      address: brief(address),
      x: box.x + scrollX,
      y: box.y + scrollY,
      width: box.width,
      height: box.height,
      first: box.width > 0 && box.height > 0 && box.y < innerHeight && box.bottom > 0 && box.x < innerWidth && box.right > 0,
      lazy: node.loading === 'lazy',
      fit,
      element: tagOf(node).toLowerCase() + (idOf(node) ? '#' + idOf(node) : ''),
      alt: attributeOf(node, 'alt')?.slice(0, 2000) ?? null,
      around: around(node),
    });
  };
  for (const node of every) {
    const box = boxOf(node);
    const style = getComputedStyle(node);
    if (node instanceof HTMLImageElement) {
      if (node.currentSrc) add('img', node, node.currentSrc, box, style.objectFit);
    } else if (node instanceof HTMLInputElement && node.type === 'image') {
      if (node.src) add('input', node, node.src, box, style.objectFit);
    } else if (node instanceof HTMLVideoElement) {
      if (node.poster) add('poster', node, node.poster, box, style.objectFit);
    } else if (node instanceof SVGImageElement) {
      if (node.href.baseVal) add('svg', node, new URL(node.href.baseVal, baseOf(document)).href, box, '');
    }
    for (const [kind, at] of [['background', null], ['before', '::before'], ['after', '::after']]) {
      const image = at ? getComputedStyle(node, at) : style;
      if (at && (image.content === 'none' || image.content === 'normal')) continue;
      if (image.backgroundImage === 'none') continue;
      add(kind, node, image.backgroundImage, box, image.backgroundSize);
    }
  }
  return {placements};
}
