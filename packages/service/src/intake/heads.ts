import type { HeadCommand, HeadReport } from '@causalis/contract';
import type { FeedFailure, ReadyFeedOf } from './feeds/contract.js';
import { OnvifClient } from './onvif/client.js';
import { all, child, element, text } from './onvif/xml.js';

/** One command takes so long at most, and a head that does not say that it stands is taken to stand after the other. */
const commandMs = 6_000;
const mostMovingMs = 15_000;
const lookMs = 400;
/** A picture is trusted again so long after the head stands: focus and exposure follow. */
const settledMs = 1_000;

type OnvifFeed = ReadyFeedOf<'onvif'>;

async function withHead<T>(feed: OnvifFeed, job: (client: OnvifClient, profile: string) => Promise<T>): Promise<T> {
  const end = new AbortController();
  const late = setTimeout(() => end.abort(), commandMs);
  try {
    const client = new OnvifClient(feed.url, feed, end.signal);
    await client.open();
    const profile = feed.profile ?? (await client.profiles())[0]?.token ?? '';
    return await job(client, profile);
  } finally {
    clearTimeout(late);
  }
}

const profileOf = (token: string): string => element('tptz:ProfileToken', token);

async function report(client: OnvifClient, profile: string): Promise<HeadReport> {
  const presets = child(await client.call('tptz', `<tptz:GetPresets>${profileOf(profile)}</tptz:GetPresets>`), 'GetPresetsResponse');
  const status = child(
    await client.call('tptz', `<tptz:GetStatus>${profileOf(profile)}</tptz:GetStatus>`),
    'GetStatusResponse',
    'PTZStatus',
  );
  const number = (...path: string[]) => Number(text(status, 'Position', ...path) ?? Number.NaN);
  const position = { pan: number('PanTilt', '@x'), tilt: number('PanTilt', '@y'), zoom: number('Zoom', '@x') };
  return {
    presets: all(presets, 'Preset').map((preset) => ({ token: text(preset, '@token') ?? '', name: text(preset, 'Name') ?? '' })),
    moving: text(status, 'MoveStatus', 'PanTilt') === 'MOVING' || text(status, 'MoveStatus', 'Zoom') === 'MOVING',
    ...(Object.values(position).every(Number.isFinite) ? { position } : {}),
  };
}

/** Presets of a head, where it looks and whether it moves. */
export const readHead = (feed: OnvifFeed): Promise<HeadReport> => withHead(feed, report);

function bodyOf(command: HeadCommand, profile: string, presets: HeadReport['presets']): string {
  const at = profileOf(profile);
  if ('go' in command) {
    const token = presets.find(({ name, token: one }) => one === command.go || name === command.go)?.token ?? command.go;
    return `<tptz:GotoPreset>${at}${element('tptz:PresetToken', token)}</tptz:GotoPreset>`;
  }
  if ('save' in command) return `<tptz:SetPreset>${at}${element('tptz:PresetName', command.save)}</tptz:SetPreset>`;
  if ('home' in command) return `<tptz:GotoHomePosition>${at}</tptz:GotoHomePosition>`;
  if ('stop' in command) return `<tptz:Stop>${at}</tptz:Stop>`;
  const { pan = 0, tilt = 0, zoom = 0 } = command.move;
  return `<tptz:ContinuousMove>${at}<tptz:Velocity><tt:PanTilt x="${pan}" y="${tilt}"/><tt:Zoom x="${zoom}"/></tptz:Velocity></tptz:ContinuousMove>`;
}

/** Tells a head something; a movement by speed ends after its time. Failures are those of feeds: `FeedFailure`. */
export async function tellHead(feed: OnvifFeed, command: HeadCommand): Promise<HeadReport> {
  return await withHead(feed, async (client, profile) => {
    const { presets } = 'go' in command ? await report(client, profile) : { presets: [] };
    await client.call('tptz', bodyOf(command, profile, presets));
    if ('move' in command) {
      await new Promise((resolve) => setTimeout(resolve, command.forMs ?? 400));
      await client.call('tptz', bodyOf({ stop: true }, profile, []));
    }
    return await report(client, profile);
  });
}

/** Resolves when a head stands and its picture can be trusted again. What goes wrong meanwhile only ends the waiting. */
export async function headStands(feed: OnvifFeed): Promise<void> {
  const until = performance.now() + mostMovingMs;
  while (performance.now() < until) {
    const now = await readHead(feed).catch((_: FeedFailure) => undefined);
    if (!now?.moving) break;
    await new Promise((resolve) => setTimeout(resolve, lookMs));
  }
  await new Promise((resolve) => setTimeout(resolve, settledMs));
}
