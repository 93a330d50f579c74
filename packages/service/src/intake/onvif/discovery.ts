import { randomUUID } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { networkInterfaces } from 'node:os';
import { type FoundDevice, plainLine } from '@causalis/contract';
import { all, child, readXml, text } from './xml.js';

/** Devices of the local network are asked for here (WS-Discovery 1.0 §2.4; ONVIF Core §7.3). */
const group = '239.255.255.250';
const discoveryPort = 3702;
/** A device waits up to half a second before it answers, so that not all answer at once. */
const listenMs = 1_500;
const mostDevices = 500;

const probeMessage = () =>
  `<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing" xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery" xmlns:dn="http://www.onvif.org/ver10/network/wsdl"><s:Header><a:MessageID>urn:uuid:${randomUUID()}</a:MessageID><a:To>urn:schemas-xmlsoap-org:ws:2005:04:discovery</a:To><a:Action>http://schemas.xmlsoap.org/ws/2005/04/discovery/Probe</a:Action></s:Header><s:Body><d:Probe><d:Types>dn:NetworkVideoTransmitter</d:Types></d:Probe></s:Body></s:Envelope>`;

/** Asks every network of this machine for ONVIF devices; nobody signs in, and what answers is only listened to. */
export async function discover(): Promise<FoundDevice[]> {
  const found = new Map<string, FoundDevice>();
  const addresses = Object.values(networkInterfaces()).flatMap((all) => (all ?? []).filter(({ family }) => family === 'IPv4'));
  await Promise.all(addresses.map(({ address }) => ask(address, found)));
  return [...found.values()].sort((a, b) => a.url.localeCompare(b.url));
}

async function ask(from: string, found: Map<string, FoundDevice>): Promise<void> {
  const socket = createSocket('udp4');
  // A network without a way out, or a message that cannot be sent: nobody is found there.
  socket.on('error', () => undefined);
  socket.on('message', (message) => {
    for (const device of devicesIn(message)) if (found.size < mostDevices) found.set(device.device, device);
  });
  try {
    await new Promise<void>((resolve, reject) => {
      socket.once('error', reject);
      socket.bind(0, from, resolve);
    });
    socket.setMulticastInterface(from);
    socket.send(probeMessage(), discoveryPort, group);
    await new Promise((resolve) => setTimeout(resolve, listenMs));
  } catch {
    // As above.
  } finally {
    socket.close();
  }
}

/** The devices that an answer names. What is no answer names none. */
export function devicesIn(message: Buffer): FoundDevice[] {
  try {
    const matches = child(readXml(message), 'Envelope', 'Body', 'ProbeMatches');
    return all(matches, 'ProbeMatch').flatMap((match) => {
      const device = text(match, 'EndpointReference', 'Address');
      // A device of two networks names an address in each: the first that this client can speak to.
      const url = (text(match, 'XAddrs') ?? '').split(/\s+/).find((one) => /^https?:\/\/[^\s/]+\//.test(one) && URL.canParse(one));
      if (!device || !url || device.length > 200) return [];
      const scopes = (text(match, 'Scopes') ?? '').split(/\s+/);
      const scope = (name: string) => {
        const value = scopes
          .find((one) => one.startsWith(`onvif://www.onvif.org/${name}/`))
          ?.split('/')
          .at(-1);
        return value === undefined ? undefined : plainLine(decoded(value), 100);
      };
      const [name, model] = [scope('name'), scope('hardware')];
      return [{ device: plainLine(device, 200), url: plainLine(url, 500), ...(name ? { name } : {}), ...(model ? { model } : {}) }];
    });
  } catch {
    return [];
  }
}

function decoded(value: string): string {
  try {
    return decodeURIComponent(value);
  } catch {
    return value;
  }
}
