import type { ItemStateName, Purpose, UndoKind, UnsettledCause } from '@golden/core';
import type { Generated, Kysely, Selectable } from 'kysely';

/** JSON columns are text here; each is parsed with Zod or by its own module where it is read. */
type Json = string;

export interface SettingTable {
  name: string;
  value: Json;
}

/** Whose records an app shows, told apart by the app, where it is, and its own id of who is signed in. */
export interface AccountTable {
  id: string;
  app: string;
  /** Empty as long as nobody knows. */
  origin: string;
  /** The app's own id, or a mark of the key where it tells none; null as long as nobody could ask. */
  who: string | null;
  is_told: number;
  label: string;
  made_at: string;
}

export interface ConnectionTable {
  id: string;
  app: string;
  name: string;
  settings: Json;
  /** Sealed; never leaves the server. */
  secret: string | null;
  status: 'working' | 'broken' | 'unchecked';
  message: string | null;
  health: Json | null;
  checked_at: string | null;
  created_at: string;
  /** Since when a passing fault holds it up, until when nothing is asked of it, how often that was so, and why. */
  paused_since: Generated<string | null>;
  paused_until: Generated<string | null>;
  pause_tries: Generated<number>;
  pause_reason: Generated<string | null>;
  /** The account that it leads to. */
  account_id: string;
  /** Who is signed in instead, while a person hasn't said yet whether it is the same account. */
  asked: Json | null;
}

export interface WorkflowTable {
  id: string;
  draft: Json;
  /** Raised with every save; a save names the one it was made from. */
  draft_rev: number;
  draft_at: string;
  live_version: number | null;
  is_on: number;
  /** 1 where it is off and takes in nothing new, and what waits goes on all the same. */
  waits_go_on: Generated<number>;
  /** The version that is to go on with those who wait on earlier ones, until that is carried out. */
  takes_over: Generated<number | null>;
  /** Empty when it stands in none. */
  folder: Generated<string>;
  created_at: string;
}

export interface VersionTable {
  workflow_id: string;
  number: number;
  content: Json;
  locale: Json;
  created_at: string;
}

/** How far a workflow has listed one place of one account: found again when it goes back there. */
export interface IntakeTable {
  id: string;
  workflow_id: string;
  account: string;
  place: Json;
  /** The field that names a record where the place gives no ids; empty where it does. */
  identity: string;
  /** `first` until the starting point has been carried out. */
  phase: 'first' | 'asking';
  /** The highest updated time seen; the next listing begins a little before it. */
  since: string | null;
  /** From when it begins, where that was chosen for this place alone; the version's own when null. */
  from_when: Json | null;
  /** Raised when it begins anew: what an earlier run still does counts no more. */
  epoch: Generated<number>;
  /** When the last listing began that came to its end: of what wasn't in it nothing had changed by then. */
  listed_at: Generated<string | null>;
  /** What the last whole listing showed, where the place tells by a mark whether it has changed. */
  listed: Json | null;
  made_at: string;
}

export interface TriggerTable {
  workflow_id: string;
  next_at: string | null;
  last_checked_at: string | null;
  /** The newest event that has told of a record. */
  told_seq: Generated<number>;
  /** Why asking doesn't work at present. */
  message: string | null;
  /** The kind of reason that the message gives. */
  cause: UnsettledCause | null;
  /** The connection that has to work again before it is asked. */
  waits_for: string | null;
  is_paused: number;
  /** What a person has to look at before anything is taken in. */
  held: Generated<Json | null>;
  /** What a person has said to that. */
  consent: Generated<Json | null>;
}

export interface SeenTable {
  intake_id: string;
  source_id: string;
  revision: string;
  fingerprint: string;
  counter: number;
  is_taken: number;
  run_id: string;
  /** For starts that compare: the value last seen, or the record as it last was. */
  kept: string | null;
  is_gone: number;
  /** When the run began that showed it so; null for what was seen before this was kept. */
  seen_at: string | null;
}

export interface RunTable {
  id: string;
  workflow_id: string;
  version: number;
  kind: 'first' | 'check' | 'asked' | 'single';
  state: 'listing' | 'working' | 'done' | 'stopped' | 'broken';
  started_at: string;
  ended_at: string | null;
  in_source: number;
  noted_earlier: number;
  taken_in: number;
  repeats: number;
  /** Where the listing goes on; stored with the records of its page. */
  cursor: string | null;
  since: string | null;
  high_water: string | null;
  message: string | null;
  /** What is worth knowing of a run that went well. */
  note: string | null;
  /** When its listing goes on by itself, while the app can't be asked. */
  wake_at: Generated<string | null>;
  /** 0 until its doubles are marked: none of its items is begun before. */
  is_marked: Generated<number>;
  /** Where it lists. */
  intake_id: string;
  /** The intake's epoch when it began. */
  epoch: Generated<number>;
  /** The records that it takes in, where it doesn't list its source: those a person chose, or events told of. */
  wanted: Generated<Json | null>;
  /** Of what it took in, records of which no event had told. */
  never_posted: Generated<number>;
  /** Of what was only noted, changes that workflows of ours had made. */
  own: Generated<number>;
}

/** A record of which an event has told a workflow. */
export interface ToldTable {
  workflow_id: string;
  record_id: string;
  /** When it was told of last. */
  at: string;
  /** How often it was fetched since then with nothing new. */
  tries: number;
  /** When it is fetched again; null when that is over. */
  due_at: string | null;
}

export interface ItemTable {
  id: string;
  seq: Generated<number>;
  workflow_id: string;
  run_id: string;
  /** The listing that it came by: its record's id means something there only. */
  intake_id: string;
  /** The account of each connection when it began; one that isn't named was its own account then. */
  accounts: Json;
  version: number;
  source_id: string;
  revision: string;
  title: string;
  state: ItemStateName;
  cause: UnsettledCause | null;
  message: string | null;
  /** The connection an item waits for, when its cause is a connection. */
  waits_for: string | null;
  item_state: Json;
  effect: Json | null;
  token: string | null;
  /** 1 while this process moves it: whoever wants to move it takes it by one conditional update. */
  claimed: Generated<number>;
  /** When it goes on by itself, while it waits for an app. */
  wake_at: Generated<string | null>;
  /** Whom it is about, where its workflow has each person in it once. */
  person: Generated<string | null>;
  /** The places that its news had passed through before it came to its source, where workflows of ours brought it. */
  passed: Generated<Json | null>;
  taken_at: string;
  ended_at: string | null;
  /** Since when what its record held isn't kept any more. */
  emptied_at: Generated<string | null>;
}

/** What has changed of an item that is under way since its row was written; it is in the row once it rests. */
export interface ItemChangeTable {
  /** In the order in which they came. */
  id: Generated<number>;
  item_id: string;
  change: Json;
  effect: Json | null;
}

/** What an item waits for. It goes once the item has gone on. */
export interface ParkTable {
  item_id: string;
  /** The step that it waits at; `start` for one that is gathered. */
  step: string;
  until: string | null;
  /** The role of whoever has to answer. */
  who: string | null;
  /** Of an earlier release: nothing is kept in it any more. */
  token_hash: Generated<string | null>;
  /** 1 where later changes of its record stand behind it. */
  holds_later: number;
  message: string;
  /** What has woken it, as advance takes it. */
  woken: Json | null;
  at: string;
}

export interface ParkEventTable {
  event: string;
  item_id: string;
}

/** Where something comes by itself: events that are posted, mails, forms. */
export interface InboxTable {
  id: string;
  name: string;
  singular: string;
  plural: string;
  /** The fields that its arrivals have shown by now. */
  fields: Json;
  made_at: string;
  /** What somebody who begins by hand is asked for. */
  asks: Generated<Json>;
}

/** An inbox into which another workflow puts what it has done. */
export interface RelayTable {
  inbox_id: string;
  workflow_id: string;
  /** For each record that it delivers, after a run of which all was delivered, or after any run. */
  moment: 'record' | 'whole_run' | 'run';
}

/** What came by itself, as it came. */
export interface ArrivalTable {
  seq: Generated<number>;
  inbox_id: string;
  /** What makes another one the same: it is a repeat then. */
  key: string;
  at: string;
  media_type: string;
  headers: Json;
  size: number;
  /** SHA-256 of the body, by which a large one lies in a file. */
  hash: string;
  /** Null where the body lies in a file. */
  body: Uint8Array | null;
  /** Why it is no record. */
  refused: string | null;
  /** How often it came again. */
  repeats: Generated<number>;
  /** 1 where it was sent from here to try the way: it starts nothing. */
  is_test: Generated<number>;
  /** The file that it stood in, and where there. */
  file_seq: Generated<number | null>;
  place: Generated<string | null>;
  /** By what a record of a later file is recognised as this one. */
  record: Generated<string | null>;
  /** The id under which it is a record of its source; later states of one record share it. */
  source: Generated<string | null>;
  /** 1 for what another workflow has handed over: each of its states is taken in. */
  is_handed: Generated<number>;
  /** Since when its body isn't kept any more. */
  emptied_at: Generated<string | null>;
}

/** Which writes went together in one call, in which order; a call is known by its first one. */
export interface WriteCallTable {
  token: string;
  call_id: string;
  at: number;
}

/** What an item of one workflow has handed over to another, known by the item, the step and the turn. */
export interface HandedTable {
  parent_id: string;
  /** The step, with the number of its own turn within a "for each". */
  step: string;
  /** Its number in the list that was handed over; 0 for one alone. */
  turn: number;
  inbox_id: string;
  /** Of its arrival. */
  key: string;
  /** The item that it has become; null until it is taken in. */
  child_id: string | null;
  /** Where it stands; kept by the data file itself as its item moves. */
  state: Generated<'handed' | ItemStateName>;
}

/** A template of documents; its editions never change. */
export interface DocumentTemplateTable {
  id: string;
  name: string;
  /** The number of its newest edition. */
  newest: number;
  /** When it was taken from the list; its editions stay for what uses them. */
  removed_at: string | null;
}

export interface DocumentEditionTable {
  template_id: string;
  number: number;
  ending: '.docx' | '.pdf';
  /** SHA-256 of the template, by which it lies in a file. */
  hash: string;
  /** What it takes: fields of core. */
  fields: Json;
  at: string;
}

/** A document that was made, known by the token of its write. */
export interface DocumentTable {
  token: string;
  template_id: string;
  edition: number;
  /** The full path of its folder, and its name there, which is its own before the file is put there. */
  folder: string;
  name: string;
  /** By which two names are the same. */
  same_name: string;
  /** SHA-256 of the document as it was made, by which its bytes are kept. */
  hash: string;
  size: number;
  /** The values that it was made of. */
  given: Json;
  at: string;
  /** When it was there; null while that isn't certain. */
  made_at: string | null;
}

/** How an inbox takes in files. */
export interface FileStartTable {
  inbox_id: string;
  setting: Json;
  /** The marks of files in the watched folder that have been taken, by name. */
  known: Generated<Json>;
  /** Why the folder can't be looked into at the moment. */
  trouble: string | null;
  /** Names of new files there that aren't taken, for workflows of ours write them. */
  own: Generated<Json>;
}

/** A file that came. */
export interface FileTable {
  seq: Generated<number>;
  inbox_id: string;
  name: string;
  /** What its later states share: the name, without what browsers add to it. */
  series: string;
  hash: string;
  size: number;
  at: string;
  came: 'dropped' | 'watched';
  /** `reading` until all its records are stored. */
  state: 'reading' | 'read' | 'refused';
  reason: string | null;
  /** What its records are called. */
  plural: string | null;
  /** The names of a table's columns. */
  columns: Json | null;
  rows: Generated<number>;
  added: Generated<number>;
  changed: Generated<number>;
  /** Records that are as they were in an earlier file, and such as stand in this one twice. */
  same: Generated<number>;
  twice: Generated<number>;
  /** Records that are too large. */
  refused: Generated<number>;
  /** How often the same file came again. */
  repeats: Generated<number>;
  /** 1 where a person took it in though something speaks against it. */
  is_even_so: Generated<number>;
  /** 1 where all of its records were to come once more. */
  is_again: Generated<number>;
  /** Since when the file itself isn't kept any more. */
  emptied_at: Generated<string | null>;
}

/** The address at which one inbox's events are posted. */
export interface DoorTable {
  inbox_id: string;
  /** The part of the address that can't be guessed. */
  address: string;
  setting: Json;
  /** Sealed. */
  secret: string | null;
  /** Until when somebody waits for an event, so that a sender's question whether the address is meant is answered. */
  waiting_until: string | null;
  /** The public address by which something has come in. */
  proven_by: string | null;
  made_at: string;
}

/** The address to which one inbox's mails are sent. */
export interface MailDoorTable {
  inbox_id: string;
  /** What stands before the @. */
  address: string;
  setting: Json;
  /** How far the setting up of forwarding from a mailbox has come; null where none is. */
  forwarding: Json | null;
  /** The mail domain by which something has come in. */
  proven_by: string | null;
  made_at: string;
}

/** A file that can go along with mails. */
export interface AttachmentTable {
  name: string;
  media_type: string;
  size: number;
  /** By which its content is found. */
  hash: string;
  at: string;
}

/** A text for several workflows. */
export interface TextTemplateTable {
  id: string;
  name: string;
  /** Its newest version. */
  version: number;
}

/** What a template said from a time on. */
export interface TextTemplateVersionTable {
  text_id: string;
  number: number;
  /** As it is typed, with fields in braces. */
  text: string;
  at: string;
}

/** An address that a door had before. */
export interface DoorPastTable {
  address: string;
  inbox_id: string;
  ended_at: string;
}

/** What a door refused. */
export interface RefusalTable {
  seq: Generated<number>;
  /** Null where there is no such door. */
  inbox_id: string | null;
  at: string;
  status: number;
  reason: string;
  came_from: string;
  method: string;
  media_type: string;
  headers: Json;
  size: number;
  /** Null where it was too large to be read, or others came after it. */
  body: Uint8Array | null;
}

export interface JournalTable {
  id: Generated<number>;
  item_id: string;
  at: string;
  kind: string;
  step: string | null;
  content: Json;
}

export interface WriteTable {
  token: string;
  item_id: string;
  step: string;
  purpose: 'deliver' | 'take_back';
  connection: string;
  account: string;
  place: string;
  intent: Json;
  status: 'intent' | 'done' | 'void';
  replacement_id: string | null;
  remote_id: string | null;
  read: Json | null;
  at: string;
  done_at: string | null;
  /** What the token is derived from besides the number of the attempt. */
  base: Generated<string | null>;
  /** The digest of the record as this write left it (`leftAs`, `leftGone`); empty where nobody knows; null until it is known. */
  left: Generated<string | null>;
}

/** The undoing of a run: looked at first, then carried out. */
export interface UndoTable {
  id: string;
  workflow_id: string;
  run_id: string;
  state: 'looking' | 'looked' | 'undoing' | 'waiting' | 'done' | 'stopped' | 'broken';
  /** Why it stands still, or broke off. */
  message: string | null;
  /** An `UndoWish`; null until it is carried out. */
  wish: Json | null;
  made_at: string;
  started_at: string | null;
  ended_at: string | null;
}

/** What undoing does with one record, the last of the run first. */
export interface UndoRowTable {
  undo_id: string;
  at: number;
  item_id: string;
  source_id: string;
  title: string;
  kind: UndoKind;
  /** A `FoundToUndo`. */
  found: Json;
  /** `chosen` from the moment in which it is to be carried out. */
  state: 'looked' | 'chosen' | 'done' | 'stays';
  /** Why it stays, or what there is to know of how it went back. */
  message: string | null;
}

/** What a workflow sent to a record last, and what the app made of it. */
export interface LastWrittenTable {
  account: string;
  place: Json;
  remote_id: string;
  /** '' for what was kept before it was known who sent it. */
  workflow_id: string;
  /** Field → what was sent, and what was read back. */
  fields: Json;
}

export interface ReplacementTable {
  id: string;
  connection: string;
  account: string;
  file: string;
  hash_before: string;
  hash_after: string;
  /** token → row, of the writes that are in it. */
  rows: Json;
  at: string;
}

/** Where a sample is from: its source, typed in as JSON, or a list of past records. */
export type SampleOrigin = 'real' | 'made_up' | 'list';

export interface SampleTable {
  workflow_id: string;
  source_id: string;
  at: number;
  content: Json;
  origin: SampleOrigin;
  /** Chosen for the sheet by a person, or against it; null leaves it to how awkward it is. */
  is_on_sheet: number | null;
}

export interface DecisionTable {
  id: string;
  item_id: string;
  at: string;
  decision: Json;
}

/** What a person is asked about one item, as they see it. */
export interface AskTable {
  item_id: string;
  workflow_id: string;
  step: string;
  /** Core's `Asked`. */
  asked: Json;
  /** What an answer is bound to: a digest of what is asked. */
  print: string;
  at: string;
  /** When the next mail about it is due; null where none is. */
  mail_at: string | null;
}

/** A mail by which one person is asked about some items, and the link in it. */
export interface AskLetterTable {
  id: string;
  workflow_id: string;
  step: string;
  address: string;
  connection: string;
  is_reminder: number;
  /** 1 where a code that is sent beside it has to be typed: for money, and for mails to many. */
  needs_code: number;
  at: string;
  expires_at: string;
  sent_at: string | null;
  /** When it is tried to be sent; null once it was. */
  next_at: string | null;
  tries: Generated<number>;
  /** Why it could not be sent. */
  trouble: string | null;
  /** The mark of the code that was sent beside it, until when it is good, and how often another was typed. */
  code_mark: Generated<string | null>;
  code_until: Generated<string | null>;
  code_tries: Generated<number>;
  /** How many codes were sent. */
  codes: Generated<number>;
  /** The mark of the browser in which the code was typed, and until when that counts. */
  session_mark: Generated<string | null>;
  session_until: Generated<string | null>;
}

export interface AskLetterItemTable {
  letter_id: string;
  item_id: string;
}

/** A page on which people fill in what starts a workflow. */
export interface FormTable {
  inbox_id: string;
  /** The part of its address that tells it. */
  address: string;
  setting: Json;
  version: number;
  made_at: string;
}

/** A file that came with a form. */
export interface FormFileTable {
  id: string;
  inbox_id: string;
  name: string;
  media_type: string;
  size: number;
  hash: string;
  at: string;
}

/** What a form asked in one of its versions. */
export interface FormVersionTable {
  inbox_id: string;
  number: number;
  setting: Json;
  at: string;
}

/** A link of a record that waits, once it was used. */
export interface WaitLinkTable {
  item_id: string;
  kind: 'stop' | 'continue';
  at: string;
}

/** How somebody said that they don't want news: by a link, by their mail program's own button, to a person, by a workflow, in a list. */
export const unsubscribedHow = ['link', 'one_click', 'person', 'workflow', 'list'] as const;
export type UnsubscribedHow = (typeof unsubscribedHow)[number];

/** Who doesn't want news any more, also those who came back: what was said once stays on record. */
export interface UnsubscribeTable {
  id: string;
  /** As `contactKey` gives it. */
  contact: string;
  at: string;
  how: UnsubscribedHow;
  /** What was told with it. */
  said: string | null;
  /** The record whose message they unsubscribed from. */
  item_id: string | null;
  taken_back_at: string | null;
  taken_back_why: string | null;
}

/** What went out to whom, or was about to. */
export interface SentMessageTable {
  token: string;
  contact: string;
  purpose: Purpose;
  workflow_id: string;
  item_id: string;
  step: string;
  at: string;
}

/** A place that is looked at because its records end waits. */
export interface WatchTable {
  id: Generated<number>;
  name: string;
  connection: string;
  account: string;
  content: Json;
  since: Generated<string | null>;
  looked_at: Generated<string | null>;
}

/** A record of a watched place that counted, by what it has in common with those that wait. */
export interface HappenedTable {
  watch_id: number;
  key: string;
  record: string;
  at: string;
  after: string;
  title: string;
}

/** What may end the wait of one item. */
export interface ParkEndingTable {
  item_id: string;
  watch_id: number;
  key: string;
  /** What happened from then on counts; everything where empty. */
  since: string;
  ending: Json;
}

export interface RehearsalTable {
  workflow_id: string;
  scope: string;
  state: 'running' | 'done' | 'stopped' | 'broken';
  draft_rev: number;
  /** What the draft came to then: `rehearsedFingerprint`. */
  fingerprint: string;
  started_at: string;
  ended_at: string | null;
  total: number;
  message: string | null;
  /** What its records have come to by now: `RehearsalCounts`. */
  counts: string;
}

export interface RehearsalItemTable {
  workflow_id: string;
  at: number;
  source_id: string;
  title: string;
  state: ItemStateName;
  cause: UnsettledCause | null;
  message: string | null;
  item_state: Json;
  /** Core's `marksOf`, each between spaces. */
  marks: string;
}

/** The remembered pair "this shop customer is that contact". */
export interface LinkTable {
  id: string;
  from_account: string;
  from_place: Json;
  from_id: string;
  to_account: string;
  to_place: Json;
  to_id: string;
  /** 1 where the record was deleted there, and a person said that it stays so. */
  left_gone: Generated<number>;
  origin: 'found' | 'created' | 'chosen' | 'imported' | 'corrected';
  workflow_id: string | null;
  probability: number | null;
  made_at: string;
}

/** The copy of a place's records that likeness searches; it proposes, and is never the last word. */
export interface MirrorTable {
  account: string;
  place: Json;
  id: string;
  content: Json;
  /** The listing that showed it last. */
  round: number;
  /** The number of the change of its place that brought this content. */
  changed: number;
}

export interface MirrorStateTable {
  account: string;
  place: Json;
  since: string | null;
  round: number;
  listed_at: string | null;
  /** How many changes the copy has had: each has a number, which is never given again. */
  changes: Generated<number>;
}

/** An index of a copy that lookups have used: a start builds it again before anybody asks. */
export interface MirrorIndexTable {
  name: string;
  account: string;
  place: Json;
  fields: Json;
  /** The number of the learnt weights, where it goes by such. */
  weights: number | null;
  used_at: string;
  /** The file that holds it, and the number of the last change of its copy that it has; null where none is stored. */
  stored_as: Generated<string | null>;
  stored_to: Generated<number | null>;
}

export interface MatchWeightsTable {
  number: Generated<number>;
  connection: string;
  place: Json;
  fields: Json;
  model: Json;
  origin: 'learnt' | 'decided';
  decisions: number;
  made_at: string;
}

export interface DuplicateSearchTable {
  id: string;
  /** Null for a file that was given. */
  connection: string | null;
  account: string | null;
  place: Json | null;
  labels: Json;
  fields: Json;
  state: 'running' | 'done' | 'stopped' | 'broken';
  progress: Json | null;
  figures: Json | null;
  message: string | null;
  started_at: string;
  ended_at: string | null;
}

export interface DuplicateGroupTable {
  id: string;
  search_id: string;
  at: number;
  probability: number;
  is_asked: number;
  records: Json;
  state: 'open' | 'merging' | 'merged' | 'different' | 'undone' | 'unsure';
  /** How it was settled: the golden record and which one survives. */
  settled: Json | null;
  message: string | null;
  settled_at: string | null;
}

export interface MergeTable {
  id: string;
  group_id: string;
  connection: string;
  account: string;
  place: Json;
  survivor: string;
  steps: Json;
  /** How many of the steps are done. */
  done: number;
  state: 'merging' | 'merged' | 'undoing' | 'undone' | 'unsure';
  message: string | null;
  made_at: string;
  ended_at: string | null;
}

/** Two records of a place that a person said are different. */
export interface NotSameTable {
  account: string;
  place: Json;
  one: string;
  other: string;
  at: string;
}

/** Two places that are compared, and how the last look ended. */
export interface ReconcileTable {
  id: string;
  name: string;
  /** Core's `ReconcileSetting`. */
  setting: Json;
  state: 'running' | 'done' | 'stopped' | 'broken';
  progress: Json | null;
  /** What the last look that came to its end counted. */
  figures: Json | null;
  message: string | null;
  made_at: string;
  started_at: string | null;
  ended_at: string | null;
  /** At which time of each day it is looked at by itself (`06:00`, by the workspace's clock); null where it isn't. */
  daily_at: Generated<string | null>;
  next_at: Generated<string | null>;
}

/** What records can be that aren't the same on both sides; a pair that differs is one however many of its fields do. */
export const reconcileKinds = ['differ', 'only_left', 'only_right', 'doubled', 'unclear'] as const;

/** Records that the last look found not to be the same on both sides. */
export interface ReconcileRowTable {
  reconcile_id: string;
  at: number;
  kind: (typeof reconcileKinds)[number];
  title: string;
  /** The paths of the fields that differ, each between spaces. */
  fields: string;
  /** The records of both sides with what differs. */
  found: Json;
}

/** A workflow that puts right what a comparison found, for these records of its source. */
export interface RepairTable {
  id: string;
  reconcile_id: string;
  workflow_id: string;
  ids: Json;
  /** The run that did it; null as long as it is only planned. */
  run_id: string | null;
  made_at: string;
}

/** Items whose words are to be made anew. */
export interface RecordDueTable {
  seq: number;
}

/** Two places that are kept in step both ways. */
export interface InStepTable {
  id: string;
  name: string;
  setting: Json;
  /** The workflow that carries from here to there, and the one that carries back. */
  there_id: string;
  here_id: string;
  /** What carries removals here over to there, and the other way round; null where they aren't carried. */
  removed_here_id: string | null;
  removed_there_id: string | null;
  made_at: string;
}

/** A workflow that was removed, and of which something is still to go. */
export interface RemovedWorkflowTable {
  id: string;
}

export interface Tables {
  removed_workflow: RemovedWorkflowTable;
  in_step: InStepTable;
  record_due: RecordDueTable;
  reconcile: ReconcileTable;
  reconcile_row: ReconcileRowTable;
  repair: RepairTable;
  link: LinkTable;
  mirror: MirrorTable;
  mirror_state: MirrorStateTable;
  mirror_index: MirrorIndexTable;
  match_weights: MatchWeightsTable;
  duplicate_search: DuplicateSearchTable;
  duplicate_group: DuplicateGroupTable;
  merge: MergeTable;
  last_written: LastWrittenTable;
  undo: UndoTable;
  undo_row: UndoRowTable;
  not_same: NotSameTable;
  setting: SettingTable;
  account: AccountTable;
  connection: ConnectionTable;
  intake: IntakeTable;
  workflow: WorkflowTable;
  workflow_version: VersionTable;
  trigger_state: TriggerTable;
  seen: SeenTable;
  run: RunTable;
  item: ItemTable;
  item_change: ItemChangeTable;
  inbox: InboxTable;
  arrival: ArrivalTable;
  handed: HandedTable;
  write_call: WriteCallTable;
  relay: RelayTable;
  file_start: FileStartTable;
  file: FileTable;
  told: ToldTable;
  door: DoorTable;
  mail_door: MailDoorTable;
  attachment: AttachmentTable;
  document_template: DocumentTemplateTable;
  document_edition: DocumentEditionTable;
  document: DocumentTable;
  text_template: TextTemplateTable;
  text_template_version: TextTemplateVersionTable;
  door_past: DoorPastTable;
  refusal: RefusalTable;
  park: ParkTable;
  park_event: ParkEventTable;
  ask: AskTable;
  ask_letter: AskLetterTable;
  ask_letter_item: AskLetterItemTable;
  form: FormTable;
  form_version: FormVersionTable;
  form_file: FormFileTable;
  wait_link: WaitLinkTable;
  unsubscribe: UnsubscribeTable;
  sent_message: SentMessageTable;
  watch: WatchTable;
  happened: HappenedTable;
  park_ending: ParkEndingTable;
  journal: JournalTable;
  write: WriteTable;
  replacement: ReplacementTable;
  sample: SampleTable;
  decision: DecisionTable;
  rehearsal: RehearsalTable;
  rehearsal_item: RehearsalItemTable;
}

/** A file that came, as it is read. */
export type FileRow = Selectable<FileTable>;

/** A document as it is read. */
export type DocumentRow = Selectable<DocumentTable>;

/** A workflow as it is read. */
export type WorkflowRow = Selectable<WorkflowTable>;

/** A connection as it is read. */
export type ConnectionRow = Selectable<ConnectionTable>;

/** A run as it is read. */
export type RunRow = Selectable<RunTable>;

/** A stored write as it is read. */
export type WriteRow = Selectable<WriteTable>;

/** An item as it is read. */
export type ItemRow = Selectable<ItemTable>;

/** An account as it is read. */
export type AccountRow = Selectable<AccountTable>;

/** A comparison as it is read. */
export type ReconcileRow = Selectable<ReconcileTable>;

/** The undoing of a run, and of one of its records, as they are read. */
export type UndoRow = Selectable<UndoTable>;
export type UndoRecordRow = Selectable<UndoRowTable>;

/** Two places in step, as they are read. */
export type InStepRow = Selectable<InStepTable>;

/** An intake as it is read. */
export type IntakeRow = Selectable<IntakeTable>;

/** The data file as queries see it. */
export type Db = Kysely<Tables>;
