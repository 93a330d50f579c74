import { type DeviceReport, deviceFeeds, type LightValue, type OwnReport, ownReports, type SiteDocument } from '@causalis/contract';
import type { DeviceOffers } from './onvif/client.js';
import { topicMeans } from './onvif/topics.js';
import type { ReportedNotice } from './watcher/messages.js';

export interface DeviceParts {
  readonly document: () => SiteDocument;
  /** What an input says, as it would come over a broker. */
  readonly inputSaid: (input: string, payload: Buffer) => void;
  readonly relayTold: (output: string, value: LightValue) => void;
  /** Something that the camera has found by itself and that is wanted. */
  readonly own: (notice: ReportedNotice & { readonly what: OwnReport }) => void;
}

const isOwn = (what: string): what is OwnReport => (ownReports as readonly string[]).includes(what);

/** What ONVIF cameras say by themselves: each word goes where the document wants it, and when it last came is known. */
export class DeviceNotices {
  private readonly parts: DeviceParts;
  private readonly offers = new Map<string, DeviceOffers>();
  private readonly last = new Map<string, number>();

  constructor(parts: DeviceParts) {
    this.parts = parts;
  }

  offered(camera: string, offers: DeviceOffers): void {
    this.offers.set(camera, offers);
  }

  told(notice: ReportedNotice): void {
    const { camera, what, source, state } = notice;
    const { cameras, inputs, outputs } = this.parts.document();
    this.last.set(`${camera} ${what}`, notice.at);
    if (what === 'input') {
      for (const [key, input] of Object.entries(inputs))
        if (input.camera === camera && input.input === source) this.parts.inputSaid(key, Buffer.from(String(state)));
    } else if (what === 'relay') {
      for (const [key, output] of Object.entries(outputs))
        if (output.kind === 'relay' && output.camera === camera && output.relay === source)
          this.parts.relayTold(key, { power: state === true });
    } else if (isOwn(what) && cameras[camera]?.reports?.includes(what)) this.parts.own({ ...notice, what });
  }

  /** What a camera can report by itself; nothing until it has said so. */
  of(camera: string): DeviceReport | undefined {
    const offers = this.offers.get(camera);
    const item = this.parts.document().cameras[camera];
    // What it said as a device is over when it is none any more.
    if (!offers || !item || deviceFeeds(item).length === 0) return undefined;
    const can = new Set(offers.topics.map(topicMeans));
    const taken = item.reports ?? [];
    return {
      reports: ownReports
        .filter((what) => can.has(what) || taken.includes(what))
        .map((what) => {
          const at = this.last.get(`${camera} ${what}`);
          return { what, taken: taken.includes(what), ...(at === undefined ? {} : { last: new Date(at).toISOString() }) };
        }),
      inputs: [...offers.inputs],
      relays: [...offers.relays],
    };
  }
}
