/** What this browser remembers of how its editor works. */
const key = 'celator-remembered';

export type Shade = 'dark' | 'light';
interface Remembered {
  preset: 'review' | 'archive';
  matte: boolean;
  pictures: Shade; // of the bench and review
  lists: Shade; // of all other pages
}
const first: Remembered = { preset: 'review', matte: false, pictures: 'dark', lists: 'light' };

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
