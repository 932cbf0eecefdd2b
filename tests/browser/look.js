// What is wrong with the page as it is laid out now: a list of words.
least => {
  const hidden = node => { for (let up = node; up; up = up.parentElement) if (getComputedStyle(up).clipPath !== 'none') return true; return false; };
  const found = [], root = document.documentElement, wide = root.clientWidth;
  const name = node => node.tagName.toLowerCase() + (node.id ? '#' + node.id : '') +
    (typeof node.className === 'string' && node.className ? '.' + node.className.trim().replace(/\s+/g, '.') : '');
  if (root.scrollWidth > wide) {
    const worst = [...document.querySelectorAll('main *')].filter(node => node.getBoundingClientRect().right > wide + 1);
    found.push(`scrolls sideways by ${root.scrollWidth - wide}: ${worst.slice(0, 3).map(name).join(' ')}`);
  }
  const heads = [...document.querySelectorAll('h1')].filter(node => node.checkVisibility()).length;
  if (heads !== 1) found.push(`${heads} h1`);
  for (const node of document.querySelectorAll('[tabindex]')) if (node.tabIndex > 0) found.push(`tabindex ${node.tabIndex} on ${name(node)}`);
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT), small = new Map(), cut = new Map();
  while (walk.nextNode()) {
    const text = walk.currentNode, node = text.parentElement;
    if (!text.data.trim() || /^(SCRIPT|STYLE|TITLE|OPTION|DESC)$/i.test(node.tagName) || node.closest('.visually-hidden, .skip, dialog:not([open])')) continue;
    if (hidden(node)) continue;
    if (!node.checkVisibility({ checkOpacity: true, checkVisibilityCSS: true, contentVisibilityAuto: true })) continue;
    const range = document.createRange();
    range.selectNodeContents(text);
    const box = range.getBoundingClientRect();
    if (!box.width || !box.height) continue;
    let size = parseFloat(getComputedStyle(node).fontSize);
    if (node.ownerSVGElement && node.getScreenCTM) size *= Math.hypot(node.getScreenCTM().a, node.getScreenCTM().b);
    if (size < least - 0.05) small.set(name(node), `${size.toFixed(1)} px '${text.data.trim().slice(0, 24)}'`);
    const scrolls = node.closest('.scroll-x, .steplist ol, dialog, .uplot, [data-scrolls]');
    if (!scrolls && (box.right > wide + 1 || box.left < -1)) cut.set(name(node), `'${text.data.trim().slice(0, 24)}' ends at ${Math.round(box.right)}`);
    for (let up = node; up && up !== document.body && !scrolls; up = up.parentElement) {
      const style = getComputedStyle(up);
      if (/hidden|clip/.test(style.overflowX) && !up.closest('.line')) {
        const edge = up.getBoundingClientRect();
        if (box.right > edge.right + 1.5 || box.left < edge.left - 1.5) cut.set(name(node), `'${text.data.trim().slice(0, 24)}' is cut by ${name(up)}`);
      }
    }
  }
  for (const [where, what] of small) found.push(`small: ${where} ${what}`);
  for (const [where, what] of cut) found.push(`cut: ${where} ${what}`);
  return found;
}
