// Layout shifts from the first paint on, without those that a person's own input brings.
window.__shift = 0; window.__shifted = [];
new PerformanceObserver(list => { for (const one of list.getEntries()) if (!one.hadRecentInput) {
  window.__shift += one.value;
  for (const source of one.sources) window.__shifted.push((source.node?.className || source.node?.tagName || '?') + ' ' + source.previousRect.y + '>' + source.currentRect.y);
} }).observe({ type: 'layout-shift', buffered: true });
