// The one way to the server: a client whose types are made from its contract.
import createClient from 'openapi-fetch';
import type { components as core } from '../core/calls.gen';
import { me } from '../shared/me';
import type { components, paths } from './api.gen';

export type Summary = components['schemas']['SummaryView'];
export type Programme = components['schemas']['ProgrammeView'];
export type Source = components['schemas']['SourceView'];
export type Shot = components['schemas']['ShotView'];
export type Item = components['schemas']['Item'];
export type Revision = components['schemas']['RevisionView'];
export type Delivery = components['schemas']['DeliveryView'];
export type Handover = components['schemas']['Handover'];
export type Part = components['schemas']['PartView'];
export type Drawing = components['schemas']['Drawing'];
export type Contents = components['schemas']['ContentsView'];
export type MediaFile = components['schemas']['MediaFile'];
export type Document = components['schemas']['Document'];
export type Cover = components['schemas']['Cover'];
export type Outline = components['schemas']['Outline'];
export type Placement = components['schemas']['Placement'];
export type Treatment = components['schemas']['Treatment'];
export type Command = components['schemas']['EditBody']['commands'][number];
/** A command for one cover, which is named when it is made. */
export type CoverCommand = Command extends infer C ? (C extends { cover: string } ? Omit<C, 'cover'> : never) : never;
export type Point = components['schemas']['Point'];
export type Knot = components['schemas']['Knot'];
export type Lane = core['schemas']['Lane'];
export type Ease = NonNullable<Copied['ease']>;
export type CoverShape = core['schemas']['CoverShape'];
export type SelectedCover = core['schemas']['SelectedCover'];
export type DrawnOutline = core['schemas']['DrawnOutline'];
export type TimelineRow = core['schemas']['TimelineRow'];
export type TrackRow = core['schemas']['TrackRow'];
export type SurfaceOnFrame = core['schemas']['SurfaceOnFrame'];
export type Setting = core['schemas']['Setting'];
export type Copied = components['schemas']['Copied'];
export type Edit = components['schemas']['EditView'];
export type Span = components['schemas']['Span'];
export type Track = components['schemas']['Track'];
export type Mattes = components['schemas']['Mattes'];
export type Poses = components['schemas']['Poses'];
export type Attempt = components['schemas']['AttemptView'];
export type Texture = components['schemas']['AssessView'];
export type Proposals = components['schemas']['ProposalsView'];
export type ProposalRow = components['schemas']['ProposalView'];
export type ShotProposal = components['schemas']['ShotProposalView'];
export type Style = components['schemas']['StyleView'];
export type Through = components['schemas']['ThroughView'];
export type Graphic = components['schemas']['Graphic'];
export type Passage = components['schemas']['Passage'];
export type Preset = components['schemas']['PresetView'];
export type Recipe = components['schemas']['Recipe'];
export type Marker = components['schemas']['Marker'];
export type Label = components['schemas']['Label'];
export type Appearance = components['schemas']['Appearance'];
export type State = Appearance['state'];
export type Finding = components['schemas']['FindingView'];
export type CheckResult = components['schemas']['CheckView'];
export type List = components['schemas']['ListView'];
export type ShotRow = components['schemas']['Shot'];
export type Review = components['schemas']['ReviewShotView'];
export type Decision = components['schemas']['Decision'];
export type ImportResult = components['schemas']['ImportView'];
export type Work = components['schemas']['Work'];
export type Boundary = components['schemas']['Boundary'];
export type Value = Treatment['strength'];

/** For so long a request is sent again while the server starts or its database does, ms. */
const patience = 20_000;

/**
 * fetch that bears a server which is away for a moment. What asks, or names itself by a
 * key, may be sent twice; for anything else the answer that it could not be done is an
 * answer.
 */
export async function steady(input: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  const request = new Request(input, init);
  request.headers.set('Celator-Name', encodeURIComponent(me.name));
  const body = request.method === 'GET' || request.method === 'HEAD' ? undefined : await request.clone().text();
  const again = request.method !== 'POST' || /"key":"/.test(body ?? '');
  const end = performance.now() + patience;
  for (let wait = 250; ; wait = Math.min(2 * wait, 2000)) {
    let answer: Response | undefined;
    try {
      answer = await fetch(request.clone());
    } catch (e) {
      if (request.method !== 'GET' || request.signal.aborted || performance.now() > end) throw e;
    }
    if (answer && (answer.status !== 503 || !again || !answer.headers.has('Retry-After') || performance.now() > end))
      return answer;
    await new Promise((r) => setTimeout(r, wait));
    if (request.signal.aborted) throw new DOMException('withdrawn', 'AbortError');
  }
}

export const api = createClient<paths>({ baseUrl: '', fetch: steady });

/** An error of the server, in its words for people. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** The data of an answer, or its problem thrown. */
export async function ask<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let r;
  try {
    r = await call;
  } catch {
    throw new Problem(0, 'The server cannot be reached. Nothing is lost; it will be tried again when you go on.');
  }
  if (r.error !== undefined || !r.response.ok) {
    throw problem(r.response.status, r.error);
  }
  return r.data as T;
}

/** A part of a long list, and where it goes on. */
export interface Page<T> {
  rows: T[];
  next?: string; // an address
}

/** The part of a list that an answer holds. */
export async function askPage<T>(call: Promise<{ data?: T[]; error?: unknown; response: Response }>): Promise<Page<T>> {
  let link: string | null = null;
  const noted = call.then((r) => ((link = r.response.headers.get('Link')), r));
  const rows = await ask<T[]>(noted);
  return { rows, next: /<([^>]*)>; *rel="next"/.exec(link ?? '')?.[1] };
}

/** The part that comes after. */
export function askNext<T>(next: string): Promise<Page<T>> {
  return askPage<T>(
    steady(next).then(async (response) => {
      const body = await response.json();
      return response.ok ? { data: body as T[], response } : { error: body, response };
    }),
  );
}

/** All of a list, part by part. */
export async function askAll<T>(call: Promise<{ data?: T[]; error?: unknown; response: Response }>): Promise<T[]> {
  let page = await askPage(call);
  const all = page.rows;
  while (page.next) all.push(...(page = await askNext<T>(page.next)).rows);
  return all;
}

function problem(status: number, e: unknown): Problem {
  const p = (e ?? {}) as { detail?: string; title?: string; errors?: { message?: string; location?: string }[] };
  const more = (p.errors ?? []).map((x) => [x.location, x.message].filter(Boolean).join(': ')).join('; ');
  return new Problem(status, [p.detail ?? p.title ?? `The server answered ${status}.`, more].filter(Boolean).join(' '));
}

export interface Patch {
  regions: [number, number, number, number][];
  picture: ImageBitmap | null;
  quick: boolean; // to be asked for again, exact
}

/** Reads a patch: rectangles of the view whose pixels the picture stacks. */
export async function patch(call: Promise<Response>): Promise<Patch> {
  const r = await call;
  if (r.status === 204) {
    return { regions: [], picture: null, quick: false };
  }
  if (!r.ok) {
    throw problem(r.status, await r.json().catch(() => null));
  }
  const regions = (r.headers.get('Celator-Regions') ?? '')
    .split(' ')
    .map((s) => s.split(',').map(Number) as [number, number, number, number]);
  const wide = Math.max(...regions.map((x) => x[2]));
  const pixels = new ImageData(new Uint8ClampedArray(await r.arrayBuffer()), wide);
  return { regions, picture: await createImageBitmap(pixels), quick: r.headers.get('Celator-Quick') === 'true' };
}

/** Calls f with every event of the server until the returned function is called. */
export function listen(f: (kind: string, id: string) => void): () => void {
  const s = new EventSource('/api/events');
  s.onmessage = (m) => {
    const e = JSON.parse(m.data);
    f(e.kind, e.id);
  };
  // After a broken connection anything may have changed.
  let broken = false;
  s.onerror = () => (broken = true);
  s.onopen = () => {
    if (broken) {
      broken = false;
      f('all', '');
    }
  };
  return () => s.close();
}
