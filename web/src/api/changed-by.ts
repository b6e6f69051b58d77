import type { Api } from '@golden/server/api';

/** What the screens read, each by the first part of its query's name. */
export type QueryName =
  | 'settings'
  | 'today'
  | 'apps'
  | 'connections'
  | 'workflows'
  | 'workflow'
  | 'versions'
  | 'places'
  | 'place'
  | 'taken'
  | 'identifiers'
  | 'samples'
  | 'profile'
  | 'counts'
  | 'between'
  | 'usual'
  | 'drift'
  | 'lookups'
  | 'payload'
  | 'weights'
  | 'not-covered'
  | 'rehearsal'
  | 'rehearsal-items'
  | 'runs'
  | 'days'
  | 'run'
  | 'run-items'
  | 'item'
  | 'decide'
  | 'links'
  | 'duplicates'
  | 'reconciles'
  | 'records'
  | 'undo'
  | 'in-step'
  | 'practice'
  | 'door'
  | 'mail-door'
  | 'form'
  | 'attachments'
  | 'document-templates'
  | 'text-templates'
  | 'files'
  | 'public-address'
  | 'first-steps'
  | 'calendars'
  | 'telling'
  | 'unsubscribed'
  | 'due'
  | 'asks'
  | 'handing'
  | 'receivers';

/** The routes that change something, all but those that only read. */
export type ChangingRoute = Exclude<keyof Api & string, `GET ${string}`>;

const ofConnection: readonly QueryName[] = [
  'connections',
  'today',
  'places',
  'place',
  'taken',
  'identifiers',
  'samples',
  'profile',
  'counts',
  'drift',
  'lookups',
];
const ofFiles: readonly QueryName[] = ['files', 'samples', 'profile', 'counts', 'lookups', 'runs', 'today'];
const ofPlace: readonly QueryName[] = ['places', 'place', 'drift', 'identifiers'];
const ofSamples: readonly QueryName[] = ['samples', 'lookups'];
const ofItem: readonly QueryName[] = ['asks', 'today', 'item', 'run', 'run-items', 'runs', 'days', 'decide', 'links'];
const ofWorkflow: readonly QueryName[] = ['workflows', 'workflow', 'today', 'versions', 'handing', 'receivers'];
const ofInStep: readonly QueryName[] = ['in-step', ...ofWorkflow, 'rehearsal', 'rehearsal-items', 'runs'];
const ofTurning: readonly QueryName[] = [...ofWorkflow, 'runs', 'usual', 'between', 'due', 'handing'];

/**
 * What is read anew after each route that changes something. A route that isn't named here doesn't
 * compile: whoever adds one says what it changes.
 */
export const changedBy: Readonly<Record<ChangingRoute, readonly QueryName[]>> = {
  'POST /api/in-step': ofInStep,
  'PUT /api/in-step/:id': ofInStep,
  'POST /api/in-step/:id/rehearsal': ofInStep,
  'POST /api/in-step/:id/accept': ofInStep,
  'POST /api/in-step/:id/live': ofInStep,
  'POST /api/in-step/:id/turn': ofInStep,
  'POST /api/in-step/:id/check': ofInStep,
  'POST /api/in-step/:id/compare': ['reconciles'],
  'DELETE /api/in-step/:id': ofInStep,
  'PUT /api/forms/:id': ['form', 'place', 'drift'],
  'POST /api/forms/:id/renew': ['form'],
  'POST /api/asks': [...ofItem, 'due'],
  'PUT /api/settings': ['settings', 'today', 'public-address', 'mail-door', 'calendars'],
  'PUT /api/telling': ['telling', 'today'],
  'POST /api/telling/try': ['telling'],
  'POST /api/unsubscribed': ['unsubscribed'],
  'POST /api/unsubscribed/:id/back': ['unsubscribed'],
  'PUT /api/calendars': ['calendars', 'due'],
  'POST /api/starts': ['workflows', 'today', 'first-steps'],
  'POST /api/workflows/:id/start': [],
  'POST /api/workflows/:id/typed-in': ['samples', 'profile', 'lookups', 'counts'],
  'POST /api/workflows/:id/telling': [],
  'POST /api/workflows/:id/telling/register': ['door'],
  'POST /api/workflows/:id/these': ['runs', 'today', 'workflow', 'days', 'records'],
  'POST /api/workflows/:id/begin': ['runs', 'today', 'workflow', 'days'],
  'PUT /api/doors/:id': ['door'],
  'POST /api/doors/:id/secret': ['door'],
  'POST /api/doors/:id/renew': ['door'],
  'POST /api/doors/:id/wait': ['door'],
  'POST /api/doors/:id/learn': ['door', 'place', 'drift'],
  'POST /api/doors/:id/again': ['door', 'mail-door', 'samples', 'profile', 'counts'],
  'POST /api/doors/:id/test': ['door'],
  'POST /api/attachments': ['attachments', 'place', 'drift'],
  'POST /api/attachments/remove': ['attachments', 'place', 'drift'],
  'POST /api/document-templates': ['document-templates', 'places', 'connections'],
  'POST /api/document-templates/preview': [],
  'DELETE /api/document-templates/:id': ['document-templates', 'places', 'connections'],
  'POST /api/text-templates': ['text-templates'],
  'PUT /api/text-templates/:id': ['text-templates'],
  'POST /api/text-templates/:id/drafts': ['text-templates', ...ofWorkflow],
  'DELETE /api/text-templates/:id': ['text-templates'],
  'PUT /api/mail-doors/:id': ['mail-door'],
  'POST /api/mail-doors/:id/renew': ['mail-door'],
  'POST /api/mail-doors/:id/forwarding': ['mail-door'],
  'DELETE /api/mail-doors/:id/forwarding': ['mail-door'],
  'POST /api/mail-doors/:id/forwarding/confirmation': ['mail-door', 'samples', 'profile', 'counts'],
  'POST /api/mail-doors/:id/forwarding/probe': ['mail-door'],
  'PUT /api/files/:id': ['files', 'today', 'drift', 'place'],
  'POST /api/files/:id/look': [],
  'POST /api/files/:id/take': ofFiles,
  'POST /api/files/:id/even-so': ofFiles,
  'POST /api/files/:id/again': ofFiles,
  'POST /api/files/:id/folder': ofFiles,
  'POST /api/public-address': ['public-address', 'today'],
  'POST /api/backups': ['settings'],
  'POST /api/kept-values/take-out': ['settings'],
  'POST /api/kept-values/stop': ['settings'],
  'POST /api/stop': ['today', 'workflows', 'workflow'],
  'POST /api/go-on': ['today', 'workflows', 'workflow'],
  'POST /api/off/seen': ['today'],

  'POST /api/connections': ['connections', 'apps', 'today'],
  'POST /api/sign-ins': [],
  'PUT /api/connections/:id': ofConnection,
  'POST /api/connections/:id/account': ofConnection,
  'DELETE /api/connections/:id': ['connections', 'apps', 'today'],
  'POST /api/connections/:id/check': ['connections', 'today', 'places', 'place'],
  'POST /api/connections/:id/taken': [],
  'POST /api/connections/:id/places': ofPlace,
  'POST /api/connections/:id/columns': ofPlace,
  'POST /api/connections/:id/identifiers': [],

  'POST /api/lists/place': ['connections', 'places'],
  'POST /api/lists': [...ofWorkflow, 'connections', 'first-steps'],
  'POST /api/workflows/:id/where-to': [],
  'POST /api/practice': [...ofWorkflow, 'connections', 'apps', 'practice', 'first-steps'],
  'DELETE /api/practice': [...ofWorkflow, 'connections', 'apps', 'practice', 'first-steps', 'decide', 'links'],

  'POST /api/workflows': ofWorkflow,
  'POST /api/workflows/from-choices': ofWorkflow,
  'POST /api/workflows/import/look': [],
  'POST /api/workflows/import/places': [],
  'POST /api/workflows/import': ofWorkflow,
  'POST /api/workflows/:id/duplicate': ofWorkflow,
  'PUT /api/workflows/:id/folder': ofWorkflow,
  'DELETE /api/workflows/:id': ofWorkflow,
  'PUT /api/workflows/:id/draft': ['workflows', 'text-templates', 'rehearsal', 'handing', 'receivers'],
  'POST /api/workflows/:id/receivers': ofWorkflow,
  'POST /api/workflows/:id/receivers/choose': [],
  'POST /api/workflows/:id/needed': ['samples', 'profile', 'lookups', 'counts', 'place', 'drift', 'handing'],
  'POST /api/folders/turn': ofTurning,
  'POST /api/workflows/:id/live': ofTurning,
  'POST /api/workflows/:id/cover': [...ofTurning, 'not-covered'],
  'POST /api/workflows/:id/on': ofTurning,
  'POST /api/workflows/:id/off': ofTurning,
  'POST /api/workflows/:id/let-in': ofTurning,
  'POST /api/workflows/:id/check': ['today', 'workflows', 'runs'],

  'POST /api/workflows/:id/payload': [],
  'POST /api/workflows/:id/try': [],
  'POST /api/workflows/:id/samples': ofSamples,
  'PUT /api/workflows/:id/samples/:sample': ofSamples,
  'DELETE /api/workflows/:id/samples/:sample': ofSamples,
  'POST /api/workflows/:id/samples/listen': [],
  'POST /api/workflows/:id/weights': ['weights', 'workflow', 'lookups'],
  'POST /api/workflows/:id/rehearsal': ['rehearsal', 'rehearsal-items'],
  'DELETE /api/workflows/:id/rehearsal': ['rehearsal', 'rehearsal-items'],
  'POST /api/workflows/:id/send-one': ofItem,

  'POST /api/runs/:id/stop': ofItem,
  'POST /api/workflows/:id/due': [...ofItem, 'due'],
  'POST /api/items/:id/decide': ofItem,
  'POST /api/items/:id/take-newest': ofItem,
  'POST /api/items/:id/take-up': ofItem,
  'POST /api/items/:id/take-back': ofItem,
  'POST /api/items/:id/rule': [...ofItem, 'workflow'],
  'POST /api/items/:id/merge': ofItem,
  'POST /api/items/:id/alike': ofItem,
  'POST /api/items/:id/golden': [],

  'POST /api/runs/:id/undo': ['undo'],
  'POST /api/undos/:id/carry-out': ['undo', ...ofItem],
  'POST /api/undos/:id/stop': ['undo', ...ofItem],
  'POST /api/undos/:id/send-again': ['undo', 'runs', 'today', 'workflow', 'days', 'records'],

  'POST /api/duplicates': ['duplicates'],
  'DELETE /api/duplicates/:id': ['duplicates'],
  'POST /api/duplicates/groups/:id/settle': ['duplicates', 'links'],
  'POST /api/duplicates/groups/:id/undo': ['duplicates', 'links'],
  'POST /api/duplicates/:id/settle-above': ['duplicates', 'links'],
  'POST /api/merges/:id/undo': ['duplicates', 'links'],
  'POST /api/reconciles/propose': [],
  'POST /api/reconciles': ['reconciles'],
  'PUT /api/reconciles/:id': ['reconciles'],
  'PUT /api/reconciles/:id/daily': ['reconciles', 'today'],
  'POST /api/reconciles/:id/again': ['reconciles'],
  'POST /api/reconciles/:id/stop': ['reconciles'],
  'DELETE /api/reconciles/:id': ['reconciles'],
  'POST /api/reconciles/:id/repair': ['reconciles', 'workflows', 'rehearsal', 'rehearsal-items', 'links', 'today'],
  'POST /api/reconciles/:id/repair/carry-out': ['reconciles', 'workflows', 'workflow', 'runs', 'run', 'today'],
  'POST /api/workflows/:id/repair': ['reconciles', 'workflows', 'workflow', 'runs', 'run', 'today'],
  'POST /api/reconciles/:id/duplicates': ['duplicates'],

  'PUT /api/links/:id': ['links', 'records'],
  'DELETE /api/links/:id': ['links', 'records'],
  'POST /api/links/import': ['links'],
};
