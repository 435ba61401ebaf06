// Who sits here: every change of state has a name. There is no sign-in on this machine;
// the name is kept in the browser.
const key = 'celator-name';
export const me = {
  get name(): string {
    return localStorage.getItem(key) ?? 'Editor';
  },
  set name(v: string) {
    localStorage.setItem(key, v.trim());
  },
};
