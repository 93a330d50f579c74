import { fileURLToPath } from 'node:url';

export { type Call, CallReceiver } from './calls.js';
export { type CameraOptions, SimulatedCamera } from './camera/camera.js';
export { mail, type Sends, type SendsTo, upload } from './camera/sender.js';
export { type Passage, passagesOf, type Spacing, vansOf } from './gatehouse/actors.js';
export { chance } from './gatehouse/chance.js';
export { vanAt } from './gatehouse/figures.js';
export { toJpeg } from './gatehouse/jpeg.js';
export { makeScene, type Scene, type SceneOptions } from './gatehouse/scene.js';
export { Lamp, type LampChange } from './lamp.js';
export { type Mail, Mailbox } from './mailbox.js';
export type { Conditions } from './places/conditions.js';
export { heronsAt } from './places/lily-pond.js';
export { feetAt, makePlace, type Place, type PlaceSpec, visitsOf } from './places/place.js';
export { type PlaceName, placeAt, places } from './places/registry.js';
export { Recogniser } from './recogniser.js';

/** The file to fork for all stand-ins of the demonstration site. */
export const standinsFile = fileURLToPath(new URL('./main.js', import.meta.url));
