export { drive, type Passage, passagesOf } from './gatehouse/actors.js';
export { toJpeg } from './gatehouse/jpeg.js';
export { makeScene, type Scene, type SceneOptions } from './gatehouse/scene.js';
