// Resumable uploads. One that was interrupted, also by a reload, is remembered
// by the browser and goes on where it stopped when the same file is chosen.
import { Upload } from 'tus-js-client';
import { api, ask } from '../api/api';
import { bytes } from '../shared/format';

export interface Going {
  name: string;
  size: number;
  sent: number;
  state: 'sending' | 'stopped' | 'checking' | 'done' | 'failed';
  error: string;
  programme: string;
  upload?: Upload;
  whole?: string; // the finished upload's id: it is on the server, and waits to be brought in
}

const remembered = 'celator-uploads';

interface Unfinished {
  name: string;
  size: number;
  sent: number;
}

class Uploads {
  list = $state<Going[]>([]);
  /** Uploads of an earlier visit that did not finish. */
  unfinished = $state<Unfinished[]>(JSON.parse(localStorage.getItem(remembered) ?? '[]'));

  private remember() {
    const now = this.list
      .filter((g) => g.state === 'sending' || g.state === 'stopped')
      .map(({ name, size, sent }) => ({ name, size, sent }));
    const old = this.unfinished.filter((u) => !this.list.some((g) => g.name === u.name && g.size === u.size));
    localStorage.setItem(remembered, JSON.stringify([...old, ...now]));
  }

  forget(u: Unfinished) {
    this.unfinished = this.unfinished.filter((x) => x !== u);
    this.remember();
  }

  async start(programme: string, file: File): Promise<void> {
    this.unfinished = this.unfinished.filter((u) => !(u.name === file.name && u.size === file.size));
    this.list.push({ name: file.name, size: file.size, sent: 0, state: 'sending', error: '', programme });
    const going = this.list[this.list.length - 1]!;
    going.upload = new Upload(file, {
      endpoint: '/api/uploads/',
      chunkSize: 8 << 20,
      retryDelays: [0, 500, 1000, 3000, 5000, 10000],
      removeFingerprintOnSuccess: true,
      metadata: { filename: file.name },
      onProgress: (sent) => {
        going.sent = sent;
        this.remember();
      },
      onError: (e) => {
        going.state = 'failed';
        going.error =
          `The upload stopped at ${bytes(going.sent)}: ${e.message}. ` + 'Choose the file again to go on from there.';
        this.remember();
      },
      onSuccess: () => {
        going.whole = going.upload!.url!.split('/').pop()!;
        return this.bringIn(going);
      },
    });
    const before = await going.upload.findPreviousUploads();
    if (before[0]) going.upload.resumeFromPreviousUpload(before[0]);
    going.upload.start();
    this.remember();
  }

  /** Makes a source of a finished upload; what failed may be tried again, the file is there. */
  async bringIn(g: Going): Promise<void> {
    g.state = 'checking';
    g.error = '';
    this.remember();
    try {
      await ask(
        api.POST('/api/programmes/{id}/sources', {
          params: { path: { id: g.programme } },
          body: { upload: g.whole!, name: g.name },
        }),
      );
      g.state = 'done';
      this.list = this.list.filter((x) => x !== g && x.state !== 'done');
    } catch (e) {
      g.state = 'failed';
      g.error = (e as Error).message;
    }
  }

  stop(g: Going) {
    void g.upload?.abort();
    g.state = 'stopped';
    this.remember();
  }

  resume(g: Going) {
    g.state = 'sending';
    g.upload?.start();
  }

  /** Gives an upload up; what the server has of it is deleted. */
  dismiss(g: Going) {
    void g.upload?.abort(true).catch(() => {}); // else it is swept away in a week
    this.list = this.list.filter((x) => x !== g);
  }
}

export const uploads = new Uploads();
