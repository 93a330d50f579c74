import sharp from 'sharp';
import { between, chance } from './chance.js';

/** The standing part of the scene, drawn once: sky, far trees, road, wall with the gate, drive and borders. */
export async function paintGround(width: number, height: number): Promise<Buffer> {
  const next = chance(41);
  const trees = Array.from({ length: 46 }, () => {
    const x = between(next, -20, 1300);
    const r = between(next, 22, 60);
    const g = Math.round(between(next, 78, 112));
    return `<ellipse cx="${x}" cy="${between(next, 110, 135)}" rx="${r}" ry="${r * 0.7}" fill="rgb(${g - 24},${g},${g - 34})"/>`;
  }).join('');
  const gravel = Array.from({ length: 1500 }, () => {
    const y = 395 + Math.sqrt(next()) * 325;
    const r = 0.6 + ((y - 380) / 340) * 2.6;
    const g = Math.round(between(next, 118, 176));
    return `<ellipse cx="${between(next, 0, 1280)}" cy="${y}" rx="${r * 1.5}" ry="${r * 0.7}" fill="rgb(${g},${g - 8},${g - 26})"/>`;
  }).join('');
  const bricks = Array.from({ length: 260 }, () => {
    const y = 316 + Math.floor(next() * 5) * 12;
    const g = Math.round(between(next, 96, 138));
    return `<rect x="${between(next, 0, 1280)}" y="${y}" width="26" height="10" fill="rgb(${g + 16},${g - 14},${g - 32})"/>`;
  }).join('');
  const flowers = Array.from({ length: 240 }, () => {
    const left = next() < 0.5;
    const y = between(next, 425, 720);
    const edge = ((720 - y) / 324) * 96;
    const x = left ? between(next, 0, Math.max(4, edge - 14)) : 1280 - between(next, 0, Math.max(4, edge - 14));
    const c = ['#8d4d6e', '#d8c25a', '#e9e4da', '#5f7f45', '#4f6f3d'][Math.floor(next() * 5)];
    return `<circle cx="${x}" cy="${y}" r="${between(next, 2, 7)}" fill="${c}"/>`;
  }).join('');
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720" width="${width}" height="${height}">
  <defs>
    <linearGradient id="sky" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="#9fbcd4"/><stop offset="1" stop-color="#dbe3e4"/></linearGradient>
    <linearGradient id="road" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="#74777a"/><stop offset="1" stop-color="#63666a"/></linearGradient>
    <linearGradient id="drive" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="#a79c84"/><stop offset="1" stop-color="#b6aa90"/></linearGradient>
  </defs>
  <rect width="1280" height="150" fill="url(#sky)"/>${trees}
  <rect y="140" width="1280" height="30" fill="#7d8f5e"/>
  <rect y="160" width="1280" height="136" fill="url(#road)"/>
  <g fill="#d9d6c8">${Array.from({ length: 11 }, (_, i) => `<rect x="${i * 124 + 20}" y="226" width="62" height="4"/>`).join('')}</g>
  <rect y="290" width="1280" height="14" fill="#a9a595"/>
  <rect y="304" width="1280" height="80" fill="#86604a"/>${bricks}
  <rect y="300" width="1280" height="9" fill="#a89a86"/>
  <rect y="382" width="1280" height="338" fill="#6f8a4c"/>
  <polygon points="102,396 1178,362 1280,720 0,720" fill="url(#drive)"/>${gravel}
  <polygon points="0,420 102,384 0,720" fill="#64803f"/><polygon points="1280,380 1178,352 1280,720" fill="#64803f"/>${flowers}
  <g><rect x="470" y="262" width="38" height="136" fill="#b3a48b"/><polygon points="464,262 514,262 489,236" fill="#c7b99e"/>
     <rect x="760" y="256" width="38" height="136" fill="#b3a48b"/><polygon points="754,256 804,256 779,230" fill="#c7b99e"/></g>
  <g stroke="#2c3530" stroke-width="4" fill="none">${Array.from({ length: 15 }, (_, i) => `<path d="M${514 + i * 17.5} 276V388"/>`).join('')}<path d="M508 284H760M508 380H760"/></g>
  <g><rect x="36" y="176" width="250" height="214" fill="#cbbda0"/><polygon points="14,182 308,182 250,96 80,96" fill="#575a5e"/>
     <rect x="70" y="222" width="52" height="60" fill="#3d4a52"/><rect x="70" y="222" width="52" height="60" fill="none" stroke="#efe9da" stroke-width="5"/>
     <rect x="196" y="222" width="52" height="60" fill="#3d4a52"/><rect x="196" y="222" width="52" height="60" fill="none" stroke="#efe9da" stroke-width="5"/>
     <rect x="140" y="290" width="44" height="100" fill="#2f5145"/><circle cx="176" cy="344" r="3" fill="#d8c25a"/></g>
  <rect x="1066" y="150" width="20" height="330" fill="#e4e0d4"/><g fill="#57544c">${Array.from({ length: 14 }, (_, i) => `<rect x="1066" y="${166 + i * 23}" width="${8 + ((i * 7) % 10)}" height="4"/>`).join('')}</g>
  </svg>`;
  return await sharp(Buffer.from(svg)).resize(width, height, { fit: 'fill' }).removeAlpha().raw().toBuffer();
}
