/** What somebody may do. A route names one of these, or `open`. */
export const permissions = ['view', 'operate', 'configure', 'inject', 'secrets', 'people'] as const;
export type Permission = (typeof permissions)[number];

export const roles = ['viewer', 'operator', 'integrator'] as const;
export type Role = (typeof roles)[number];

/** What each role may do. */
export const permissionsOf: Record<Role, readonly Permission[]> = {
  viewer: ['view'],
  operator: ['view', 'operate'],
  integrator: permissions,
};

interface Path {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  readonly path: string;
  readonly permission: Permission | 'open' | 'signed-in';
  /** One sentence for the OpenAPI document. */
  readonly about: string;
}

const site = '/api/v1/sites/:site';

/** Every address of the service: plain data, so that clients need no schema. */
export const paths = {
  health: { method: 'GET', path: '/health', permission: 'open', about: 'Whether the service and its ledger answer.' },
  metrics: {
    method: 'GET',
    path: '/metrics',
    permission: 'view',
    about: 'What the service counts and times of itself, as OpenMetrics; not for a token of one site.',
  },
  signIn: { method: 'POST', path: '/api/v1/session', permission: 'open', about: 'Sign in with name and password; sets a cookie.' },
  signOut: { method: 'DELETE', path: '/api/v1/session', permission: 'signed-in', about: 'End the session.' },
  recover: {
    method: 'POST',
    path: '/api/v1/session/recover',
    permission: 'open',
    about: 'A new password for a user, for whoever can read the data folder: its local key is the permission.',
  },
  me: { method: 'GET', path: '/api/v1/me', permission: 'signed-in', about: 'Who is signed in and what they may do.' },
  setPassword: { method: 'PUT', path: '/api/v1/me/password', permission: 'signed-in', about: 'Change one’s own password.' },
  users: { method: 'GET', path: '/api/v1/users', permission: 'people', about: 'Who can sign in, and as what.' },
  addUser: {
    method: 'POST',
    path: '/api/v1/users',
    permission: 'people',
    about: 'A new user; without a password one is made and shown once.',
  },
  setUser: {
    method: 'PUT',
    path: '/api/v1/users/:name',
    permission: 'people',
    about: 'Give a user another role or password; their sessions end.',
  },
  removeUser: {
    method: 'DELETE',
    path: '/api/v1/users/:name',
    permission: 'people',
    about: 'Remove a user with their sessions and tokens.',
  },
  tokens: { method: 'GET', path: '/api/v1/tokens', permission: 'people', about: 'Tokens of programs, never their value.' },
  issueToken: { method: 'POST', path: '/api/v1/tokens', permission: 'people', about: 'A new token for a program, shown once.' },
  revokeToken: { method: 'DELETE', path: '/api/v1/tokens/:id', permission: 'people', about: 'End a token at once.' },
  audit: { method: 'GET', path: '/api/v1/audit', permission: 'people', about: 'Who changed what and from where, newest first.' },
  sites: { method: 'GET', path: '/api/v1/sites', permission: 'view', about: 'The sites of this service.' },
  status: {
    method: 'GET',
    path: `${site}/status`,
    permission: 'view',
    about: 'Mode, cameras, rules and deliveries of a site at a glance.',
  },
  document: { method: 'GET', path: `${site}/document`, permission: 'view', about: 'The whole document, as JSON or YAML by Accept.' },
  check: { method: 'POST', path: `${site}/check`, permission: 'configure', about: 'All findings of a document; changes nothing.' },
  apply: {
    method: 'POST',
    path: `${site}/apply`,
    permission: 'configure',
    about: 'Put a document into force; If-Match names the revision it was made from.',
  },
  preview: {
    method: 'POST',
    path: `${site}/preview`,
    permission: 'configure',
    about: 'What a document would change, and what follows from it; changes nothing.',
  },
  revisions: { method: 'GET', path: `${site}/revisions`, permission: 'view', about: 'The revisions of the document, newest first.' },
  revision: {
    method: 'GET',
    path: `${site}/revisions/:number`,
    permission: 'view',
    about: 'The document as it was at a revision, as YAML.',
  },
  item: { method: 'GET', path: `${site}/items/:section/:key`, permission: 'view', about: 'One item of the document.' },
  putItem: {
    method: 'PUT',
    path: `${site}/items/:section/:key`,
    permission: 'configure',
    about: 'Write one item of the document, as the next revision; If-Match names the one in force.',
  },
  removeItem: {
    method: 'DELETE',
    path: `${site}/items/:section/:key`,
    permission: 'configure',
    about: 'Remove one item of the document, as the next revision; If-Match names the one in force.',
  },
  unfinished: {
    method: 'GET',
    path: `${site}/unfinished`,
    permission: 'view',
    about: 'What of the site is not finished: hints of the check, causes never seen, outputs never tested.',
  },
  restore: {
    method: 'POST',
    path: `${site}/revisions/:number/restore`,
    permission: 'configure',
    about: 'Put an earlier revision into force again, as the next one; If-Match names the one in force.',
  },
  cameras: { method: 'GET', path: `${site}/cameras`, permission: 'view', about: 'Each camera with its state and marks.' },
  camera: {
    method: 'GET',
    path: `${site}/cameras/:key`,
    permission: 'view',
    about: 'A camera with each value in force and where it comes from.',
  },
  probe: {
    method: 'POST',
    path: `${site}/cameras/probe`,
    permission: 'configure',
    about: 'Look what answers at an address before a camera is made of it: codec, size, rate, a picture; or why nothing does.',
  },
  found: {
    method: 'GET',
    path: `${site}/cameras/found`,
    permission: 'configure',
    about: 'ONVIF devices that answer on the local network, and which cameras of the site they are.',
  },
  paths: {
    method: 'POST',
    path: `${site}/cameras/paths`,
    permission: 'configure',
    about: 'Try likely addresses of streams and stills at a host.',
  },
  followCamera: {
    method: 'POST',
    path: `${site}/cameras/:key/follow`,
    permission: 'secrets',
    about: 'Take over the address at which a camera’s device answers now, as the next revision; its password goes there from then on.',
  },
  replay: {
    method: 'POST',
    path: `${site}/cameras/:key/replay`,
    permission: 'view',
    about: 'Which events of the last day would stay, come and go with other marks and values; nothing is changed.',
  },
  suggest: {
    method: 'POST',
    path: `${site}/cameras/:key/suggest`,
    permission: 'view',
    about: 'Values with which the last minute, taken as ordinary scene, gives no event; nothing is changed.',
  },
  head: { method: 'GET', path: `${site}/cameras/:key/head`, permission: 'view', about: 'Presets of a camera’s head, and where it looks.' },
  steer: {
    method: 'POST',
    path: `${site}/cameras/:key/head`,
    permission: 'operate',
    about: 'Steer a camera’s head: to a preset, home, by speed; or save a preset.',
  },
  counters: { method: 'GET', path: `${site}/counters`, permission: 'view', about: 'What each counter of the site says.' },
  resetCounter: {
    method: 'POST',
    path: `${site}/counters/:camera/:mark/reset`,
    permission: 'operate',
    about: 'Let a counter begin at nothing.',
  },
  cameraStill: { method: 'GET', path: `${site}/cameras/:key/still`, permission: 'view', about: 'The newest picture of a camera as JPEG.' },
  events: { method: 'GET', path: `${site}/events`, permission: 'view', about: 'Events, newest first, page by page.' },
  sendEvents: {
    method: 'POST',
    path: `${site}/events`,
    permission: 'inject',
    about: 'Take one CloudEvent or a batch, whole or not at all.',
  },
  chain: {
    method: 'GET',
    path: `${site}/events/:id/chain`,
    permission: 'view',
    about: 'From cause to effect: an event, its verdicts, firings and deliveries.',
  },
  rules: { method: 'GET', path: `${site}/rules`, permission: 'view', about: 'Each rule with when it last fired.' },
  tryRule: {
    method: 'POST',
    path: `${site}/rules/:key/fire`,
    permission: 'operate',
    about: 'Fire a rule by hand: dry, to see what it would do, or for real and marked as a test.',
  },
  outputs: { method: 'GET', path: `${site}/outputs`, permission: 'view', about: 'Each output with its health and its last test.' },
  testOutput: {
    method: 'POST',
    path: `${site}/outputs/:key/test`,
    permission: 'operate',
    about: 'Test an output the whole way; answers when the test has ended, with each step.',
  },
  setOutput: {
    method: 'POST',
    path: `${site}/outputs/:key/set`,
    permission: 'operate',
    about: 'Set a light by hand, for good or for a time.',
  },
  cancel: {
    method: 'POST',
    path: `${site}/deliveries/:id/cancel`,
    permission: 'operate',
    about: 'Cancel a delivery that waits or retries.',
  },
  sendAgain: {
    method: 'POST',
    path: `${site}/deliveries/:id/again`,
    permission: 'operate',
    about: 'Send what was sent once more: a new delivery with its own key, linked to the old.',
  },
  deliveries: { method: 'GET', path: `${site}/deliveries`, permission: 'view', about: 'Deliveries, newest first, page by page.' },
  retry: {
    method: 'POST',
    path: `${site}/deliveries/:id/retry`,
    permission: 'operate',
    about: 'Try a waiting, retrying, failed or expired delivery now.',
  },
  mode: { method: 'GET', path: `${site}/mode`, permission: 'view', about: 'The mode of the site and the modes it can have.' },
  setMode: { method: 'PUT', path: `${site}/mode`, permission: 'operate', about: 'Set the mode of the site.' },
  secrets: {
    method: 'GET',
    path: `${site}/secrets`,
    permission: 'secrets',
    about: 'Names of secrets, where each may be sent, never a value.',
  },
  setSecret: {
    method: 'PUT',
    path: `${site}/secrets/:key`,
    permission: 'secrets',
    about: 'Write a secret; it is bound to where the document uses it now.',
  },
  issueHook: {
    method: 'POST',
    path: `${site}/hooks/:key/address`,
    permission: 'secrets',
    about: 'A new secret address of a hook; the old one ends. Shown once.',
  },
  revokeHook: {
    method: 'DELETE',
    path: `${site}/hooks/:key/address`,
    permission: 'secrets',
    about: 'End the secret address of a hook, without a new one.',
  },
  sources: {
    method: 'GET',
    path: `${site}/sources`,
    permission: 'configure',
    about: 'Inputs with their readings, hooks with their last call, and accounts with all that is typed into a camera but the password.',
  },
  issueAccount: {
    method: 'POST',
    path: `${site}/accounts/:key/password`,
    permission: 'secrets',
    about: 'A new password of an account for a camera that can only send; the old one ends. Shown once.',
  },
  revokeAccount: {
    method: 'DELETE',
    path: `${site}/accounts/:key/password`,
    permission: 'secrets',
    about: 'End the password of an account, without a new one.',
  },
  refused: {
    method: 'GET',
    path: `${site}/refused`,
    permission: 'configure',
    about: 'Arrivals at known addresses that were refused, and why.',
  },
  media: { method: 'GET', path: `${site}/media/:id`, permission: 'view', about: 'A kept picture as JPEG.' },
  stream: {
    method: 'GET',
    path: `${site}/stream`,
    permission: 'view',
    about: 'What happens, as server-sent events; resumes after Last-Event-ID.',
  },
  live: {
    method: 'GET',
    path: `${site}/live`,
    permission: 'view',
    about: 'Pictures, levels and boxes of cameras over one WebSocket, newest wins.',
  },
  hook: { method: 'POST', path: '/in/:secret', permission: 'open', about: 'Where other systems report; the secret is the permission.' },
} as const satisfies Record<string, Path>;
export type PathName = keyof typeof paths;
