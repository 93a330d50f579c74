import { createSocket, type Socket } from 'node:dgram';
import { XMLParser } from 'fast-xml-parser';

/** Where devices are asked for on the local network (WS-Discovery 1.0 §2.4; ONVIF Core §7). */
const group = '239.255.255.250';
const discoveryPort = 3702;
const parser = new XMLParser({ removeNSPrefix: true, parseTagValue: false });

export interface Announced {
  /** Name of the device that stays when its address changes: `urn:uuid:…`. */
  readonly endpoint: string;
  readonly name: string;
  readonly model: string;
  readonly address: () => string;
}

/** Answers whoever asks for cameras on the local network; on loopback alone, as all stand-ins. */
export class DiscoveryResponder {
  private readonly socket: Socket;

  private constructor(socket: Socket) {
    this.socket = socket;
  }

  static async start(what: Announced): Promise<DiscoveryResponder> {
    const socket = createSocket({ type: 'udp4', reuseAddr: true });
    socket.on('error', () => undefined);
    socket.on('message', (message, from) => {
      const asked = probeIn(message.toString('utf8'));
      if (asked) socket.send(answer(what, asked), from.port, from.address);
    });
    await new Promise<void>((resolve) => socket.bind(discoveryPort, resolve));
    socket.addMembership(group, '127.0.0.1');
    return new DiscoveryResponder(socket);
  }

  stop(): Promise<void> {
    return new Promise((resolve) => this.socket.close(() => resolve()));
  }
}

/** The message that asks for network video transmitters, or for anything; nothing for another. */
function probeIn(xml: string): { id: string } | undefined {
  try {
    const { Header, Body } = (
      parser.parse(xml) as { Envelope: { Header: { MessageID: string }; Body: { Probe?: { Types?: string } | '' } } }
    ).Envelope;
    if (Body.Probe === undefined) return undefined;
    const types = Body.Probe === '' ? '' : (Body.Probe.Types ?? '');
    const wanted = typeof types === 'string' ? types : String((types as { '#text'?: string })['#text'] ?? '');
    return wanted === '' || /NetworkVideoTransmitter|Device/.test(wanted) ? { id: Header.MessageID } : undefined;
  } catch {
    return undefined;
  }
}

function answer({ endpoint, name, model, address }: Announced, { id }: { id: string }): string {
  const scopes = [
    'onvif://www.onvif.org/type/video_encoder',
    'onvif://www.onvif.org/Profile/Streaming',
    `onvif://www.onvif.org/name/${encodeURIComponent(name)}`,
    `onvif://www.onvif.org/hardware/${encodeURIComponent(model)}`,
  ].join(' ');
  return `<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing" xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery" xmlns:dn="http://www.onvif.org/ver10/network/wsdl"><s:Header><a:MessageID>urn:uuid:${crypto.randomUUID()}</a:MessageID><a:RelatesTo>${id}</a:RelatesTo><a:To>http://schemas.xmlsoap.org/ws/2004/08/addressing/role/anonymous</a:To><a:Action>http://schemas.xmlsoap.org/ws/2005/04/discovery/ProbeMatches</a:Action></s:Header><s:Body><d:ProbeMatches><d:ProbeMatch><a:EndpointReference><a:Address>${endpoint}</a:Address></a:EndpointReference><d:Types>dn:NetworkVideoTransmitter</d:Types><d:Scopes>${scopes}</d:Scopes><d:XAddrs>${address()}</d:XAddrs><d:MetadataVersion>1</d:MetadataVersion></d:ProbeMatch></d:ProbeMatches></s:Body></s:Envelope>`;
}
