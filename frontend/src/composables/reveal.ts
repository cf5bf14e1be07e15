/** Scroll a list as little as shows one of its rows whole; all rows are of one height. */
export function reveal(box: HTMLElement | null, index: number, rowPx: number): void {
  if (!box || index < 0) return;
  const top = index * rowPx;
  if (top < box.scrollTop) box.scrollTop = top;
  else if (top + rowPx > box.scrollTop + box.clientHeight) box.scrollTop = top + rowPx - box.clientHeight;
}
