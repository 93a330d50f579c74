/** Why something that arrived over an account is not taken: the code stands in the list of refused arrivals. */
export class ArrivalRefused extends Error {
  readonly code: string;

  constructor(code: string) {
    super(code);
    this.code = code;
  }
}

/** Somebody who has signed in with an account of ours. */
export interface SignedIn {
  readonly site: string;
  readonly account: string;
  /** Folder of an account for uploads. */
  readonly folder: string;
}

/** What came over an account: pictures, the name of the file, what was written with it. */
export interface Arrival {
  readonly address: string;
  readonly pictures: readonly Buffer[];
  readonly file?: string;
  readonly words?: string;
}

/** Where servers bring what arrives over accounts. They never learn why something was refused: that is for the integrator. */
export interface AccountDesk {
  /** Lets somebody in; nothing when the name or the password is wrong, or the account is of another kind. */
  enter(kind: 'upload' | 'mail', user: string, password: string, address: string): Promise<SignedIn | undefined>;
  /** Resolves when it is kept. Throws `ArrivalRefused` for what is not taken; what else it throws may be tried again. */
  arrived(who: SignedIn, arrival: Arrival): Promise<void>;
  /** Notes why something was not taken. */
  refuse(who: SignedIn, address: string, reason: string): Promise<void>;
}

/** A server to which cameras send: where it listens, and how it ends. */
export interface ArrivalServer {
  readonly port: number;
  stop(): Promise<void>;
}

/** A picture larger than this is not taken, nor a mail with more. */
export const mostArrivalBytes = 8 * 1024 * 1024;

/** Says of an arrival what keeps it from being taken, before anything is decoded. */
export function mustBeTaken({ pictures }: Pick<Arrival, 'pictures'>): void {
  for (const picture of pictures) {
    if (picture.length === 0) throw new ArrivalRefused('empty-file');
    if (picture.length > mostArrivalBytes) throw new ArrivalRefused('too-large');
    if (picture[0] !== 0xff || picture[1] !== 0xd8) throw new ArrivalRefused('no-picture');
    // Cameras write more behind the end of a picture; without one it was cut off.
    if (picture.lastIndexOf(Buffer.from([0xff, 0xd9])) < picture.length / 2) throw new ArrivalRefused('broken-off');
  }
}
