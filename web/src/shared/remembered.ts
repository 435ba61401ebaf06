/** What this browser remembers of how its editor works. */
const key = 'celator-remembered';

/** Where placing a cover by hand goes on: nowhere, by halves, or by so many frames. */
export type Onward = 0 | 'halves' | 5 | 10 | 25;
export type Shade = 'dark' | 'light';
interface Remembered {
  preset: string;
  master: string; // the preset of masters
  pattern: string; // of their names
  shotPattern: string; // of the names of shots that are delivered together
  reelPattern: string; // of the one file that they can be
  reel: boolean; // whether they are that
  matte: boolean;
  sound: boolean; // is heard
  level: number; // of the sound, 0 to 1
  onward: Onward; // after a cover was placed by hand
  pictures: Shade; // of the bench and review
  lists: Shade; // of all other pages
}
const first: Remembered = {
  preset: 'review',
  master: 'source',
  pattern: '{source} v{version} {date}',
  shotPattern: '{shot} v{version}',
  reelPattern: '{programme} v{version} {date}',
  reel: false,
  matte: false,
  sound: true,
  level: 0.8,
  onward: 0,
  pictures: 'dark',
  lists: 'light',
};

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
