/** What this browser remembers of how its editor works. */
const key = 'celator-remembered';

interface Remembered {
  preset: 'review' | 'archive';
  matte: boolean;
}
const first: Remembered = { preset: 'review', matte: false };

function read(): Remembered {
  try {
    return { ...first, ...JSON.parse(localStorage.getItem(key) ?? '{}') };
  } catch {
    return { ...first };
  }
}

export const remembered = new Proxy(read(), {
  set(all, name, value) {
    Reflect.set(all, name, value);
    try {
      localStorage.setItem(key, JSON.stringify(all));
    } catch {
      // A browser that keeps nothing remembers until it is closed.
    }
    return true;
  },
});
