import { OnvifClient } from '../onvif/client.js';
import { FeedFailure, type OpenFeed } from './contract.js';
import { rtspPictures } from './rtsp.js';

/** The stream that an ONVIF device names for a profile, over RTSP. */
export const openOnvif: OpenFeed<'onvif'> = async function* ({ url, user, secret, certificate, profile, everyMs }, signal, facts) {
  const client = new OnvifClient(url, { user, secret, certificate }, signal);
  let stream: string;
  try {
    await client.open();
    if (facts) facts.clockMs = client.clockMs;
    const profiles = await client.profiles();
    const chosen = profile === undefined ? profiles[0] : profiles.find(({ token }) => token === profile);
    if (!chosen) throw new FeedFailure('no-profile', profiles.map(({ token }) => token).join(', ') || 'it has none');
    stream = await client.streamUri(chosen.token);
    if (facts) {
      facts.maker = await client.information();
      facts.device = await client.device();
    }
  } catch (error) {
    if (signal.aborted) return;
    throw error;
  }
  yield* rtspPictures({ url: stream, user, secret, everyMs }, signal, facts);
};
