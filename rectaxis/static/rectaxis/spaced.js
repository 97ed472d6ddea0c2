// Work that is done at once, but not again within a time: what is asked for meanwhile is done once, at its end.
export function spaced(work, apart) {
  let done = -apart;
  let later = 0;
  return function ask() {
    const wait = done + apart - performance.now();
    if (wait > 0) {
      later = later || setTimeout(() => { later = 0; ask(); }, wait);
      return;
    }
    done = performance.now();
    work();
  };
}
