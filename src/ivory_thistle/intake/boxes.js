// The box of every element of a window in tree order, and what its images show.
(win) => {
  const round = (n) => Math.round(n * 100) / 100;
  const without = new Set('PICTURE SOURCE HEAD STYLE SCRIPT LINK META TITLE BASE'.split(' '));
  // How large a picture is drawn that is not made to fit its box: by its own size.
  const drawn = (node) => {
    const fit = getComputedStyle(node).objectFit;
    const [width, height] = [node.naturalWidth, node.naturalHeight];
    if (!['none', 'scale-down'].includes(fit) || !width || !height) return null;
    const scale = fit === 'none' ? 1 : Math.min(1, node.clientWidth / width, node.clientHeight / height);
    return [round(width * scale), round(height * scale)];
  };
  const boxes = [];
  const root = rootOf(win.document);
  const every = everyOf(win.document, '*');
  if (every.length > 100_000) throw new Error(`It has ${every.length} elements.`);
  for (const node of every) {
    const tag = tagOf(node);
    if (without.has(tag)) continue;
    const box = boxOf(node);
    const broken = tag === 'IMG' && node.complete && !!node.currentSrc && node.naturalWidth === 0;
    const shown = tag === 'IMG' ? [node.currentSrc.slice(0, 2000), drawn(node)] : ['', null];
    boxes.push([tag.toLowerCase(), round(box.x + win.scrollX), round(box.y + win.scrollY), round(box.width),
                round(box.height), broken, ...shown]);
  }
  boxes.push(['(page)', 0, 0, root.scrollWidth, root.scrollHeight, false, '', null]);
  return boxes;
}
