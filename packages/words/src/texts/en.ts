import type { EventKind, GuardName, OutputKindName, ProblemCode, SkipReason, WayStep } from '@causalis/contract';

/** Plain name of an event kind, and an event of it in one line, without its time. */
const events: Record<EventKind, readonly [name: string, said: string]> = {
  'motion.began': ['motion begins', 'Motion on {where}{own}'],
  'motion.ended': ['motion ends', 'Motion on {where}{own} ended after {lasted}'],
  'input.changed': ['changes', '{title} changed{before} to {to}'],
  'hook.called': ['is called', '{title} called{who}'],
  'object.appeared': ['something appears', '{what} appeared at {title}'],
  'object.entered': ['something enters', '{what} entered {where}{own}'],
  'object.left': ['something leaves', '{what} left {where} after {lasted}'],
  'object.lingered': ['something lingers', '{what} has been in {where} for {lasted}'],
  'line.crossed': ['a line is crossed', '{what} crossed {where}{direction}{own}'],
  'count.reached': ['a count is reached', 'Count at {where}: {count} {reached}'],
  'camera.frozen': ['is frozen', '{title} sends always the same picture'],
  'view.covered': ['is covered', '{title} is covered'],
  'view.moved': ['is turned', '{title} looks elsewhere'],
  'view.blurred': ['is out of focus', '{title} is out of focus'],
  'view.blinded': ['is blinded', '{title} is blinded'],
  'view.cleared': ['sees well again', '{title} sees well again after {lasted}'],
  'head.moved': ['is steered', '{title} was steered to {to} by {by}'],
  'recogniser.failing': ['a recogniser fails', '{title} has failed {count} times in a row: {reason}'],
  'recogniser.working': ['a recogniser works again', '{title} works again after {lasted}'],
  'camera.reported': ['reports by itself', '{title} reported{words}'],
  'camera.lost': ['is lost', '{title} is lost'],
  'camera.restored': ['is back', '{title} is back'],
  'member.arrived': ['somebody arrives', '{whom} arrived'],
  'member.left': ['somebody leaves', '{whom} left, {count} still there'],
  'mode.changed': ['the mode changes', 'Mode changed from {from} to {to}'],
  'service.started': ['the service starts', 'Causalis started again after {lasted}'],
  'clock.jumped': ['the clock jumps', 'The clock of the machine jumped {by}'],
  'storage.low': ['the disk is nearly full', 'The disk is nearly full: {free} left, no pictures are kept'],
  'storage.enough': ['the disk has room again', 'The disk has room again: {free}'],
  'source.flooding': ['floods', '{title} reported too much: {count} were refused within {lasted}'],
  'rule.crowded': ['a rule has too many cooldowns', '“{rule}” counted too many apart: {count} cooldowns were forgotten'],
  'output.failing': ['an output fails', '{title} has failed {count} times in a row: {reason}'],
  'output.working': ['an output works again', '{title} works again after {lasted}'],
  'rule.tried': ['a rule is tried', 'Trial of “{rule}” by {by}'],
  'output.tried': ['an output is tested', 'Test of {title} by {by}'],
  'output.set': ['an output is set by hand', '{title} set by {by}'],
};

/** Parts that stand in an event's line only where there is something to say. */
const eventParts = { own: ', as the camera itself says ({rule})' };

/** A guard: in a rule's sentence, when it holds, when it does not. */
const guards: Record<GuardName, { readonly sentence: string; readonly holds: string; readonly fails: string }> = {
  schedule: { sentence: 'the time is in {wanted}', holds: '{saw} lies in {wanted}', fails: '{saw} lies outside {wanted}' },
  mode: { sentence: 'the mode is {wanted}', holds: 'mode is {saw}', fails: 'mode is {saw}, not {wanted}' },
  reading: { sentence: '{wanted}', holds: '{saw}', fails: '{saw}, not {wanted}' },
  present: { sentence: '{wanted} is there', holds: 'there: {saw}', fails: 'there: {saw}; wanted: {wanted}' },
  count: { sentence: 'the count is {wanted}', holds: 'count is {saw}', fails: 'count is {saw}, not {wanted}' },
};

/** What holds a rule back, as a count of it is headed. */
const reasons: Readonly<Record<string, string>> = {
  fired: 'fired',
  inactive: 'switched off',
  late: 'came in late',
  cooldown: 'cooling down',
  circle: 'in a circle',
  'guard:schedule': 'outside its schedule',
  'guard:mode': 'in another mode',
  'guard:reading': 'at another reading',
  'guard:present': 'with others there',
  'guard:count': 'at another count',
};

/** Plain name of a kind of output. */
const outputKinds: Record<OutputKindName, string> = {
  smtp: 'mail server',
  call: 'call to another system',
  light: 'light',
  relay: 'relay of a camera',
};

/** What is wrong, and the mend, for each code of a finding. */
const findings: Readonly<Record<string, readonly [what: string, mend: string]>> = {
  missing: ['is missing: {expected} is needed here', 'Add it.'],
  'wrong-type': ['must be {expected}, not {value}', 'Write {expected}.'],
  'not-one-of': ['{value} is not one of: {expected}', 'Take one of them.'],
  'unknown-word': ['the word {word} is not known here', 'Look for a slip of the pen, or take it out.'],
  'not-yet': ['{word} belongs to the language, but this version does not carry it out yet', 'Take it out for now.'],
  'too-small': ['{value} is too small: at least {least}', 'Make it larger, or longer.'],
  'too-big': ['{value} is too large: at most {most}', 'Make it smaller, or shorter.'],
  'bad-format': ['{value} is no valid {expected}', 'Correct it.'],
  'bad-duration': ['{value} is no duration', 'Write it like 250ms, 5s, 2m, 1h30m or 30d.'],
  'bad-share': ['{value} is no share', 'Write it like 0.4% or 60%.'],
  'bad-stretch': ['{value} is no stretch of a day', 'Write it like "18:00-08:00", with quotes.'],
  'bad-days': ['{value} names no days', 'Write mon, tue, wed, thu, fri, sat, sun, or a row such as mon-thu.'],
  'bad-dates': ['{value} names no dates', 'Write a date like "2026-12-24", or a row like "2026-12-24..2026-12-26", first before last.'],
  'bad-timezone': ['{value} is no time zone', 'Take a name such as Europe/Dublin.'],
  'bad-key': ['{value} cannot be a key', 'Begin with a small letter, then small letters, digits and hyphens, 63 at most.'],
  'reserved-key': ['{value} has a meaning of its own and cannot be a key', 'Take another name.'],
  'key-taken': ['the key {value} is already used in {by}', 'Sources need keys of their own: take another.'],
  'bad-address': ['{value} is no address', 'Write it with {expected} and a host.'],
  'password-in-address': ['an address may not hold a user or password', 'Write user: and password: { secret: … } beside it.'],
  'bad-topic': ['{value} cannot be a topic', 'Leave out +, # and .., 200 characters at most.'],
  'bad-pointer': ['{value} is no JSON Pointer', 'Write it like /person/name (RFC 6901).'],
  'bad-network': ['{value} is no network', 'Write it like 192.168.1.0/24 or fd00::/8.'],
  'control-characters': ['the text holds control characters', 'Write it on one line, without them.'],
  'polygon-flat': ['the outline encloses nothing', 'Drag its corners apart.'],
  'line-short': ['the line has no length', 'Drag its ends apart.'],
  'polygon-crosses': ['the outline crosses itself', 'Give the corners in the order in which one walks around the area.'],
  'one-of-these': ['needs exactly one of: {expected}', 'Write one of them, and only one.'],
  'word-not-here': ['{word} does not go with {action}', 'Take it out, or use another action.'],
  'unknown-name': ['there is no {what} called {value}', 'Known: {known}.'],
  'wrong-output': ['{value} carries no messages to members', 'Name an output that does, such as a mail server.'],
  'empty-group': ['no camera is in the group {value}', 'Give cameras group: {value}, or name cameras.'],
  'never-seen': ['{source} has never given {event}', 'Set it off once, by hand at the place or in the camera, and see whether it comes.'],
  'never-tested': ['nothing has ever arrived over this output', 'Test it: causalis output test {value}'],
  'last-failed': ['the last that was sent over this output did not arrive: {reason}', '{mend}'],
  draft: ['the rule is off', 'Fire it dry to see what it would do, then switch it on.'],
  'newer-document': [
    'the document is of version {value}, and this Causalis knows up to {most}',
    'Update Causalis, or write it in version {most}.',
  ],
  'no-read-back': [
    'the light does not tell its own state',
    'Add read-back: and its topic, so that a switched light is confirmed and another hand is seen.',
  ],
  'empty-area': ['nothing is painted in {value}', 'Paint it, take the whole picture, or take the mark out.'],
  'no-filters': [
    'no filter holds in {value}: every change as large as the threshold counts, also light and shadow',
    'Leave it where anything at all matters.',
  ],
  'uneven-cells': ['the rows are not all of one length', 'Write each row with as many . and # as the first, 128 at most.'],
  'bad-time-of-day': ['{value} is no time of day', 'Write it like "18:00", with quotes.'],
  'bad-device': ['{value} is no camera of this machine', 'Write it like /dev/video0.'],
  'bad-file-name': ['{value} is no name of a file', 'Put the file into the folder recordings of the data folder and write its name.'],
  'bad-fingerprint': [
    '{value} is no SHA-256 of a certificate',
    'Write it as 32 pairs of hexadecimal digits with colons; a probe shows it.',
  ],
  'reports-of-device': ['only an ONVIF camera reports by itself', 'Take reports: out, or give {value} a feed of kind onvif.'],
  'bad-folder': [
    '{value} is no folder of an account',
    'Write it like /nursery or /nursery/drive: letters, digits, dots, spaces and hyphens.',
  ],
  'pushed-without-account': [
    'the camera sends its pictures itself, and has no account to send them to',
    'Add an item to accounts: with camera: {value}.',
  ],
  'pushed-is-main': ['only the main feed can be one that the camera sends itself', 'Take it out.'],
  'sizes-reversed': ['smallest is {value} and largest {most}: nothing can be both', 'Turn them around.'],
  'no-zone': ['no zone is drawn, so the whole picture is watched', 'Draw a zone around what matters.'],
  'cause-cannot-come': ['{value} never gives {event}', 'Name a source that does, or another event.'],
  'no-source': ['nothing in the site gives {event}: there are no {section}', 'Add one, or take another event.'],
  'cause-cannot-know': ['{event} never says {field}', 'Take it out, or take an event that knows it.'],
  'still-of-what': ['the event need not come from a camera, so it is not clear which picture is meant', 'Write still: { camera: … }.'],
  'with-no-picture': ['the action {value} makes no picture', 'Name an action that says still.'],
  'unknown-field': ['the text has a field {value} that does not exist', 'Known: {known}.'],
  'text-knows-more': ['the text says more than {event} can know', 'Motion alone tells neither what nor who.'],
  'two-values': ['{value} is also set by the action {other} of the same firing', 'Set it once.'],
  'needs-in-circle': ['the actions wait for each other: {value}', 'Let one of them start by itself.'],
  'only-records': ['the rule has a cooldown and no actions: it only records', 'Give it an action, or leave out the cooldown.'],
  'secret-not-set': ['the secret {value} is not set', 'Run: causalis secret set {value}'],
  'secret-not-bound': ['the secret {value} was not given for {use}', 'Write it again: causalis secret set {value}'],
  'not-readable': ['the text cannot be read: {reason}', 'Correct the spelling of YAML or JSON there.'],
  'text-too-large': ['the text is larger than {most} bytes', 'Split the site.'],
  'too-deep': ['the text is nested deeper than {most} levels', 'Nothing in the language goes that deep.'],
  'too-many-values': ['the text holds more than {most} values', 'Repeat nothing by alias.'],
  refused: ['{value} is not accepted here', 'Correct it.'],
};

/** Title and sentence with the mend, for each error that the service answers. */
const problems: Readonly<Record<ProblemCode, readonly [title: string, detail: string]>> = {
  'not-signed-in': ['Not signed in', 'Sign in at the console, or run causalis login.'],
  'wrong-password': ['Name or password is wrong', 'Type both again; after several tries wait a minute.'],
  'not-permitted': ['Not permitted', 'This needs the permission to {permission}; ask an integrator of the site.'],
  'foreign-origin': ['Refused because it came from another page', 'Changes are only taken from the console itself or with a token.'],
  'unknown-host': ['Unknown host', 'The service does not answer under the name {host}; add it to the site’s addresses.'],
  'not-found': ['Not found', 'There is nothing at this address.'],
  'unknown-site': ['Unknown site', 'There is no site {site} here.'],
  'unknown-item': ['Unknown item', 'There is no {what} {key} at this site.{mend}'],
  'unknown-mode': ['Unknown mode', 'The site has no mode {mode}. Known: {known}.'],
  'unknown-delivery': ['Unknown delivery', 'There is no delivery {id}.'],
  'wrong-method': ['Wrong method', 'This address does not take {method}.'],
  'not-retryable': ['Cannot be tried again', 'The delivery is {state}; only one that waits, retries, failed or expired can be tried.'],
  'not-cancellable': ['Cannot be cancelled', 'The delivery is {state}; only one that waits or retries can be cancelled.'],
  'not-sendable': ['Cannot be sent again', '{why}'],
  'name-taken': ['The name is taken', 'There is a user {name} already: take another name.'],
  'last-integrator': ['The last integrator', 'Somebody must be able to change the site: make another user an integrator first.'],
  'unknown-user': ['Unknown user', 'There is no user {name}.'],
  'nowhere-to': ['Nowhere to send the test', 'No member is reached over {key}: say where to, with to.'],
  'not-a-light': ['Not a light', '{key} cannot be set; only lights can.'],
  'no-device-name': [
    'The camera’s device is not known by name',
    'Probe {key} and write what it calls itself as device: in its feed; then it is known again wherever it is.',
  ],
  'device-not-found': [
    'The device does not answer',
    'Nothing on this network calls itself {device}. See whether {key} has power and is on it.',
  ],
  'no-head': ['No head to steer', 'The camera {key} has no head that can be steered: only cameras over ONVIF with PTZ do.'],
  'camera-refused': ['The camera did not do it', '{key}: {reason}.'],
  'no-picture-yet': ['No picture yet', 'The camera {key} has not given a picture since the service started.'],
  'revision-outdated': [
    'Made from an outdated revision',
    'The site is at revision {current}, the document was made from {given}. Export it again and repeat the change.',
  ],
  'body-too-large': ['Too large', 'The body is larger than this address takes ({most} bytes).'],
  'wrong-media-type': ['Wrong media type', 'Send {expected}.'],
  'body-refused': ['The body is not accepted', '{first}'],
  'document-refused': ['The document is not accepted', 'Nothing was changed. {count} to mend; the first: {first}'],
  'secret-unused': [
    'Nothing uses this secret',
    'No item of the document names the secret {key}; apply the document that uses it first, so that it can be bound to where it goes.',
  ],
  'revision-missing': [
    'Revision missing',
    'Say which revision the document was made from: its own revision: line, or If-Match. The site is at revision {current}.',
  ],
  'too-many-reports': [
    'Too many reports',
    'This address may report {aSecond} times a second; the rest is counted, and an event says so. Try again in a minute.',
  ],
  'too-many-tries': ['Too many tries', 'Wait a minute, then try again.'],
  'went-wrong': [
    'Something went wrong in Causalis',
    'It is in the log under {id}. What you sent changed nothing unless the page shows it.',
  ],
  'ledger-away': [
    'The ledger is away',
    'The database does not answer, so nothing new is accepted. Send it again; Causalis goes on by itself when it is back.',
  ],
  starting: ['Still starting', 'Try again in a few seconds.'],
  'held-elsewhere': ['Another process works for this site', 'Ask there{by}. This one takes over when that one falls silent.'],
};

const skips: Record<SkipReason, string> = {
  'needed-failed': 'skipped: what it needed failed',
  'needed-late': 'skipped: what it needed did not come in time',
  'no-picture': 'skipped: there was no picture',
  'rule-changed': 'skipped: the document no longer has its recipient',
  'no-camera': 'skipped: the event has no camera',
  'hand-at-head': 'skipped: somebody steers the head by hand, and a hand beats rules',
  'head-busy': 'skipped: the head looks elsewhere for another rule that matters as much, or more',
};

/** What an attempt came to, and the mend where there is one. */
const attempts: Readonly<Record<string, readonly [what: string, mend: string]>> = {
  accepted: ['accepted', ''],
  kept: ['kept', ''],
  'no-answer': ['no answer in time', 'See whether the other side runs and is reached from here.'],
  'connection-refused': ['connection refused', 'Nothing listens there: see whether it runs, and the port.'],
  'host-unknown': ['host not found', 'Correct the name of the host.'],
  'connection-broken': ['connection broken', 'It is tried again.'],
  'not-secure': ['no secure connection', 'Correct security: and the port; the certificate may be wrong or self-signed.'],
  'login-refused': ['login refused', 'Write the password again; some mail services want an app password.'],
  'recipient-refused': ['recipient refused', 'Correct the member’s address.'],
  refused: ['refused by the other side', 'Its own words say why.'],
  busy: ['the other side is busy', 'It is tried again.'],
  'status-refused': ['answered with an error', 'See the other system’s log under this key.'],
  redirect: ['answered with a redirect', 'Write the final address: calls follow no redirect.'],
  'address-forbidden': ['the address is not allowed', 'Link-local addresses, the database and Causalis itself are never called.'],
  'broker-away': ['the broker does not answer', 'See whether it runs and is reached from here.'],
  'too-late': ['not sent: its time was over', ''],
  'output-gone': ['the output is no longer in the document', 'Add it again, or cancel the delivery.'],
  'secret-not-set': ['its secret is not set', 'Run: causalis secret set NAME'],
  'secret-not-bound': ['its secret was not given for this address', 'Write it again: causalis secret set NAME'],
  superseded: ['a later command took its place', 'Nothing is to be done: the output was told the newest.'],
  'no-room': ['no room on the disk for a picture', 'Make room on the disk of the data folder.'],
  'no-picture': ['no picture of that moment', 'See the camera’s state at that time.'],
  'disk-full': ['no room on the disk', 'Make room.'],
  'not-known': ['the service ended before it knew the answer', 'It is tried again with the same key.'],
  'went-wrong': ['something went wrong in Causalis', 'It is in the log.'],
};

/** The steps of the way to another side. */
const steps: Record<WayStep['step'], string> = {
  name: 'find the host',
  connection: 'connect',
  greeting: 'greeting',
  encryption: 'encryption',
  'sign-in': 'sign in',
  acceptance: 'acceptance',
  answer: 'answer',
  broker: 'taken by the broker',
};

const cameras: Readonly<Record<string, string>> = {
  connecting: 'connecting',
  'sends-itself': 'it sends its pictures by itself: give it an account',
  awaiting: 'has not sent anything yet',
  'connection-refused': 'connection refused',
  'host-unknown': 'host not found',
  'no-answer': 'no answer',
  'not-authorised': 'user or password refused',
  'not-found': 'nothing at this path',
  'wrong-type': 'what answers sends no pictures of this kind',
  'wrong-codec': 'sends pictures in a code that cannot be shown',
  'wrong-certificate': 'its certificate is not trusted',
  'other-certificate': 'it shows another certificate than the one that is pinned',
  'not-permitted': 'this process may not open it',
  'no-file': 'there is no such file in the folder recordings',
  'no-profile': 'has no profile of this name',
  refused: 'refuses',
  ended: 'the recording has ended',
  'no-pictures': 'connected, but no pictures come',
  'connection-broken': 'connection broken',
  'secret-not-set': 'its password is not set',
  'secret-not-bound': 'its password was not given for this address',
  'watcher-ended': 'its watcher ended and is started again',
  'status-refused': 'answers with an error',
};

/** What becomes of the values by which cameras are watched. */
const watching = {
  byDay: '{camera}, {name}',
  inTheDark: '{camera}, {name} in the dark',
  asByDay: 'as by day',
  becomes: '{what}: {before} becomes {after}',
  keeps: '{what}: keeps its own {after}',
};

/** Why something that arrived was not taken. */
const arrivals: Readonly<Record<string, string>> = {
  method: 'another method than the hook takes',
  network: 'from a network that is not allowed',
  'not-json': 'what was sent is no JSON',
  'not-there': 'nothing stands where the value should be',
  'unknown-reading': 'says what no reading is written for',
  'no-number': 'says no number',
  'no-password-issued': 'the account has no password yet',
  'wrong-password': 'wrong password',
  'other-kind': 'the account is of the other kind: one is for uploads, one for mail',
  'wrong-folder': 'into another folder than the account’s',
  'empty-file': 'an empty file',
  'too-large': 'too large',
  'no-picture': 'no JPEG picture',
  'broken-off': 'broken off before the end of the picture',
  'too-many': 'too many at once',
  'no-account': 'the account is no longer in the document',
};

/** The pieces of which a rule's sentence is put together. */
const sentence = {
  when: 'When ',
  onThe: ' on the ',
  of: ' of ',
  at: ' at ',
  anySource: 'any source',
  withLabel: ' with {label}',
  about: ' about {who}',
  sure: ', at least {percent}% sure',
  reading: ' to {reading}',
  direction: ', {direction}',
  while: ', while ',
  and: ' and ',
  comma: ', ',
  record: 'record it',
  thenNotFor: '; then not again for ',
  per: ' per {parts}',
  end: '.',
  or: 'or',
  last: 'and',
  tell: 'tell {whom}{with}',
  withPicture: ', with its picture',
  still: 'take a still',
  stillOf: 'take a still of {camera}',
  call: 'call {output}{after}',
  after: ' after {actions}',
  set: 'set {output} {value}{for}',
  look: 'turn {camera} to {preset}{for}',
  for: ' for {time}',
};

/** Why a rule was held, with the value that decided; a guard says its own. */
const held = {
  inactive: 'the rule is switched off',
  late: 'came in {by} late, more than {most}',
  guard: 'a guard did not hold',
  cooldown: 'cooling down since {since}, {left} left',
  circle: '{depth} firings of Causalis lie behind it: it would turn in a circle',
};

/** How often something came about. */
const counts = {
  once: 'once',
  times: '{n} times',
  fired: 'fired {times}',
  notFired: 'did not fire',
  held: '{fired}, held {times}: {by}',
};

/** What a delivery does, and what a light shows. */
const deliveries = {
  on: 'on',
  onAt: 'on at {percent}%',
  off: 'off',
  set: '{output} {value}',
  back: '{output} back to {value}',
  kept: 'kept as a picture',
  looks: '{output} to {preset}',
  looksBack: '{output} back to {preset}',
  to: '{recipient} over {output}',
  testOf: 'Test of {output}',
  byHand: '{output} by hand',
};

/** How a camera is. */
const cameraStates = {
  settling: '{state}, settling',
  recogniser: 'recogniser {state} {reason}',
  moving: 'its head moves',
  clockAhead: 'Its clock is {by} ahead; set it right, or its own times are wrong.',
  clockBehind: 'Its clock is {by} behind; set it right, or its own times are wrong.',
  lost: 'lost: {reason}',
  noPictures: 'no pictures',
  broken: '{n} arrivals were no picture ({last})',
  brokenOnce: 'one arrival was no picture ({last})',
};

/** A message to a member. */
const message = {
  test: 'Test: ',
  urgent: 'Urgent: ',
  rule: 'Rule: {rule}',
  link: 'What happened and why: {link}',
  isTest: 'This is a test. Nothing happened at the site.',
  from: '{site}, by Causalis',
};

/** Every text that is made from a structure, in English. */
export const en = {
  events,
  eventParts,
  guards,
  reasons,
  outputKinds,
  findings,
  problems,
  skips,
  attempts,
  steps,
  cameras,
  arrivals,
  watching,
  sentence,
  held,
  counts,
  deliveries,
  cameraStates,
  message,
};
