// A stand-in for the server's part in saving one shot: revisions, keys and conflicts as
// the real one has them, and every way in which a line or a machine can fail.
import { newCore, type Ask } from './core';

export type Fault = 'none' | 'unreachable' | 'answer lost' | 'database away' | 'somebody else';

const size = { width: 640, height: 360 };

export class Server {
  document: any = { version: 1, ...size, frames: 100, covers: [] };
  head = 0;
  requests = 0;
  gone = false;
  /** What happens to the next request; asked once for each. */
  fault: () => Fault = () => 'none';
  private keys = new Map<string, any>();
  private edits = 0;

  private constructor(private core: Ask) {}

  static async start(): Promise<Server> {
    const server = new Server(await newCore());
    const g = globalThis as any;
    const stored = new Map<string, string>();
    g.localStorage = {
      getItem: (k: string) => stored.get(k) ?? null,
      setItem: (k: string, v: string) => void stored.set(k, v),
      removeItem: (k: string) => void stored.delete(k),
    };
    // Addresses of the interface are relative to its page.
    const Plain = g.Request;
    g.Request = class extends Plain {
      constructor(input: any, init?: any) {
        super(typeof input === 'string' && input.startsWith('/') ? `http://server${input}` : input, init);
      }
    };
    g.fetch = (r: Request) => server.answer(r);
    return server;
  }

  get revision(): any {
    return {
      number: this.head,
      label: `edit ${this.edits}`,
      author: 'Ada',
      at: '',
      canUndo: true,
      canRedo: false,
      document: this.document,
    };
  }

  apply(commands: unknown[]): void {
    this.core('load', { document: this.document });
    this.core('apply', { commands });
    this.core('keep');
    this.document = this.core('document');
    this.head++;
    this.edits++;
  }

  private async answer(request: Request): Promise<Response> {
    this.requests++;
    const body = request.method === 'POST' ? JSON.parse(await request.text()) : undefined;
    const fault = body ? this.fault() : 'none';
    if (fault === 'unreachable') throw new TypeError('failed to fetch');
    if (fault === 'database away') return json(503, { detail: 'The database is away.' });
    if (this.gone) return json(404, { detail: 'There is no such shot.' });
    if (!body) return json(200, { revision: this.revision });
    if (fault === 'somebody else') this.apply([{ do: 'rename', cover: 'theirs', name: `Theirs ${this.head}` }]);
    const made = this.keys.get(body.key);
    if (!made) {
      if (body.base !== this.head) return json(409, { detail: 'The shot was changed.' });
      try {
        this.apply(body.commands);
      } catch (e) {
        return json(422, { detail: (e as Error).message });
      }
      this.keys.set(body.key, this.revision);
    }
    if (fault === 'answer lost') throw new TypeError('failed to fetch');
    return json(201, made ?? this.revision);
  }
}

const json = (status: number, body: unknown) =>
  new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } });
