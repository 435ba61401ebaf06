// Where the browser is: /, /programmes/ID, /review/ID, /proposals/ID, /sources/ID, /shots/ID.
class Route {
  path = $state(location.pathname);
  constructor() {
    addEventListener('popstate', () => (this.path = location.pathname));
  }
  get view(): string {
    return this.path.split('/')[1] ?? '';
  }
  get id(): string {
    return decodeURIComponent(this.path.split('/')[2] ?? '');
  }
  go(path: string) {
    history.pushState(null, '', path);
    this.path = path.split('?')[0]!;
  }
  /** For links: goes there without loading the page anew. */
  follow = (e: MouseEvent) => {
    if (e.ctrlKey || e.metaKey || e.shiftKey || e.button !== 0) return;
    e.preventDefault();
    const a = e.currentTarget as HTMLAnchorElement;
    this.go(a.pathname + a.search);
  };
}
export const route = new Route();
