import type { Api, ChangeEvent } from '@golden/server/api';
import { QueryClient, useMutation, useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { toast } from 'sonner';
import type { QueryName } from './changed-by.ts';
import { ApiProblem, call, tellChanges } from './client.ts';
import { Refresher } from './refresher.ts';

export type Settings = Api['GET /api/settings']['response'];
export type Workflow = Api['GET /api/workflows/:id']['response'];
export type WorkflowRow = Api['GET /api/workflows']['response'][number];
export type Connection = Api['GET /api/connections']['response'][number];
export type App = Api['GET /api/apps']['response'][number];
export type Sample = Api['GET /api/workflows/:id/samples']['response'][number];
export type Run = Api['GET /api/workflows/:id/runs']['response'][number];
export type WholeRun = Api['GET /api/runs/:id']['response'];
export type SheetRow = Api['GET /api/runs/:id/items']['response'][number];
export type Item = Api['GET /api/items/:id']['response'];
export type Need = Api['GET /api/today']['response']['needs'][number];
/** What the start page shows. */
export type Today = Api['GET /api/today']['response'];
export type PlaceChoice = Api['GET /api/connections/:id/places']['response'][number];
export type GonePlace = Api['GET /api/workflows/:id/gone']['response'][number];
export type PlaceDrift = Api['GET /api/workflows/:id/drift']['response'][number];
export type Versions = Api['GET /api/workflows/:id/versions']['response'];
export type FoundRecord = Api['GET /api/workflows/:id/samples/search']['response'][number];
export type Tried = Api['POST /api/workflows/:id/try']['response'][number];
export type FileLook = Api['POST /api/workflows/import/look']['response'];
export type DecideItem = Api['GET /api/decide']['response'][number];
export type MatchCase = NonNullable<Api['GET /api/items/:id/case']['response']>;
export type DuplicateGroup = Api['GET /api/duplicates/:id/groups']['response'][number];
export type DuplicateSearch = Api['GET /api/duplicates/:id']['response'];
export type ItemStateName = SheetRow['state'];

/** Holds every answer; one that can’t reach the server asks on for twenty seconds. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2000,
      retry: (failures, error) => error instanceof ApiProblem && error.status === 0 && failures < 20,
      retryDelay: 1000,
    },
  },
});

const refresher = new Refresher(queryClient);
tellChanges((name) => refresher.changed(name));

/** The workspace’s settings. */
export const useSettings = () => useQuery({ queryKey: ['settings'], queryFn: () => call('GET /api/settings', {}) });
/** The backups, the newest first. */
export const useBackups = () =>
  useQuery({ queryKey: ['settings', 'backups'], queryFn: () => call('GET /api/backups', {}) });
/** How much of ended records is kept. */
export const useKeptValues = () =>
  useQuery({ queryKey: ['settings', 'kept-values'], queryFn: () => call('GET /api/kept-values', {}) });
/** Who is told of what. */
export const useTelling = () => useQuery({ queryKey: ['telling'], queryFn: () => call('GET /api/telling', {}) });

/** The working calendars. */
export const useCalendars = () => useQuery({ queryKey: ['calendars'], queryFn: () => call('GET /api/calendars', {}) });
/** Public holidays, and the regions that a country has. */
export const useHolidays = (country: string, region: string) =>
  useQuery({
    queryKey: ['calendars', 'holidays', country, region],
    queryFn: () => call('GET /api/holidays', { query: { country, region } }),
    enabled: country !== '',
    placeholderData: (before) => (country === '' ? undefined : before),
  });
/** Who gets what, when. */
export const useDue = (id: string, query: { search: string; of: 'now' | 'rehearsal'; from?: string }) =>
  useQuery({
    queryKey: ['due', id, query],
    queryFn: () => call('GET /api/workflows/:id/due', { params: { id }, query }),
    placeholderData: (before) => before,
    refetchInterval: 60_000,
  });
/** What people are asked by workflows and haven’t answered. */
export const useAsks = () => useQuery({ queryKey: ['asks'], queryFn: () => call('GET /api/asks', {}) });
/** What a step asks about each record that waits for an answer. */
export const useAsksOf = (id: string, step: string) =>
  useQuery({
    queryKey: ['asks', id, step],
    queryFn: () => call('GET /api/workflows/:id/asks/:step', { params: { id, step } }),
  });
/** Who waits, in whatever workflow. */
export const useWaiting = (search: string) =>
  useQuery({
    queryKey: ['due', 'everywhere', search],
    queryFn: () => call('GET /api/waiting', { query: { search } }),
    placeholderData: (before) => before,
    refetchInterval: 60_000,
  });
/** Who doesn’t want news any more. */
export const useUnsubscribed = (search: string, from: number) =>
  useQuery({
    queryKey: ['unsubscribed', search, from],
    queryFn: () => call('GET /api/unsubscribed', { query: { search, from } }),
    placeholderData: (before) => before,
  });
export type DueView = Api['GET /api/workflows/:id/due']['response'];
/** The templates: texts for several workflows. */
export const useTextTemplates = () =>
  useQuery({ queryKey: ['text-templates'], queryFn: () => call('GET /api/text-templates', {}) });
/** One of them, with where it is used. */
export const useTextTemplate = (id: string, enabled = true) =>
  useQuery({
    queryKey: ['text-templates', id],
    queryFn: () => call('GET /api/text-templates/:id', { params: { id } }),
    enabled,
  });
export type TextTemplateNow = Api['GET /api/text-templates']['response'][number];
export type TextTemplateView = Api['GET /api/text-templates/:id']['response'];
/** What needs a person, and each workflow’s day. */
export const useToday = () =>
  useQuery({ queryKey: ['today'], queryFn: () => call('GET /api/today', {}), refetchInterval: 30_000 });
/** The apps that can be connected. */
export const useApps = () => useQuery({ queryKey: ['apps'], queryFn: () => call('GET /api/apps', {}) });
/** All connections. */
export const useConnections = () =>
  useQuery({ queryKey: ['connections'], queryFn: () => call('GET /api/connections', {}) });
/** One connection with what uses it. */
export const useConnection = (id: string) =>
  useQuery({
    queryKey: ['connections', id],
    queryFn: () => call('GET /api/connections/:id', { params: { id } }),
    enabled: id !== '',
  });
/** All workflows as rows. */
export const useWorkflows = () => useQuery({ queryKey: ['workflows'], queryFn: () => call('GET /api/workflows', {}) });
/** One workflow with its draft. */
export const useWorkflow = (id: string) =>
  useQuery({ queryKey: ['workflow', id], queryFn: () => call('GET /api/workflows/:id', { params: { id } }) });

/** What can be chosen below a place of a connection. */
export const usePlaces = (connection: string, path: readonly string[]) =>
  useQuery({
    queryKey: ['places', connection, ...path],
    queryFn: () => call('GET /api/connections/:id/places', { params: { id: connection }, query: { path: [...path] } }),
    enabled: connection !== '',
    staleTime: 0,
    retry: false,
  });

/** A place as it is now: its fields, how much it holds, its first records. */
export const usePlace = (connection: string, path: readonly string[]) =>
  useQuery({
    queryKey: ['place', connection, ...path],
    queryFn: () => call('GET /api/connections/:id/place', { params: { id: connection }, query: { path: [...path] } }),
    enabled: connection !== '' && path.length > 0,
    staleTime: 0,
    retry: false,
  });

/**
 * The samples of a draft. `sourceKey` names its source: other samples are fetched when it changes, and
 * only once the draft that names it is saved. What is known is given meanwhile.
 */
export const useSamples = (id: string, sourceKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['samples', id, sourceKey],
    queryFn: () => call('GET /api/workflows/:id/samples', { params: { id } }),
    enabled: sourceKey !== '' && isSaved,
    staleTime: 60_000,
    retry: false,
  });

/** What each field of the saved draft's source holds, over many more records than the samples. */
export const useProfile = (id: string, sourceKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['profile', id, sourceKey],
    queryFn: () => call('GET /api/workflows/:id/profile', { params: { id } }),
    enabled: isSaved,
    staleTime: 60_000,
    retry: false,
  });

/** Where the draft's places differ from what it was built on; asked again when the draft or its places change. */
export const useDrift = (id: string, draftKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['drift', id, draftKey],
    queryFn: () => call('GET /api/workflows/:id/drift', { params: { id } }),
    enabled: isSaved,
    staleTime: 10_000,
    retry: false,
    placeholderData: (before) => before,
  });

/** The draft's places that aren't there any more; asked with what has changed in the others. */
export const useGone = (id: string, draftKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['drift', 'gone', id, draftKey],
    queryFn: () => call('GET /api/workflows/:id/gone', { params: { id } }),
    enabled: isSaved,
    staleTime: 10_000,
    retry: false,
    placeholderData: (before) => before,
  });

/** What the saved draft's lookups find for each sample; what was found before is shown meanwhile. */
export const useLookups = (id: string, lookupsKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['lookups', id, lookupsKey],
    queryFn: () => call('GET /api/workflows/:id/lookups', { params: { id } }),
    enabled: lookupsKey !== '' && isSaved,
    staleTime: 30_000,
    retry: false,
    placeholderData: (before) => before,
  });

/** How well each field of a place tells its records apart. */
export const useIdentifiers = (connection: string, path: readonly string[]) =>
  useQuery({
    queryKey: ['identifiers', connection, ...path],
    queryFn: () =>
      call('POST /api/connections/:id/identifiers', { params: { id: connection }, body: { path: [...path] } }),
    enabled: connection !== '' && path.length > 0,
    staleTime: 60_000,
    retry: false,
  });

/** Everything that waits for a person. */
export const useDecide = () => useQuery({ queryKey: ['decide'], queryFn: () => call('GET /api/decide', {}) });
/** An unclear match, field by field. */
export const useCase = (id: string) =>
  useQuery({
    queryKey: ['item', id, 'case'],
    queryFn: () => call('GET /api/items/:id/case', { params: { id } }),
    enabled: id !== '',
  });
/** The cases that one answer settles, one of them this one. */
export const useAlike = (id: string) =>
  useQuery({
    queryKey: ['item', id, 'alike'],
    queryFn: () => call('GET /api/items/:id/alike', { params: { id } }),
    enabled: id !== '',
  });
export type AlikeCase = Api['GET /api/items/:id/alike']['response'][number];
/** Searches for duplicates, the newest first. */
export const useSearches = () => useQuery({ queryKey: ['duplicates'], queryFn: () => call('GET /api/duplicates', {}) });
/** One search for duplicates. */
export const useSearchFor = (id: string) =>
  useQuery({
    queryKey: ['duplicates', id],
    queryFn: () => call('GET /api/duplicates/:id', { params: { id } }),
    enabled: id !== '',
  });
/** The groups of a search, open or settled. */
export const useGroups = (id: string, state: 'open' | 'settled') =>
  useQuery({
    queryKey: ['duplicates', id, 'groups', state],
    queryFn: () => call('GET /api/duplicates/:id/groups', { params: { id }, query: { state, limit: 200 } }),
    enabled: id !== '',
    placeholderData: (before) => before,
  });
export type TracedRecord = Api['GET /api/records']['response']['records'][number];
export type Trail = Api['GET /api/records/trail']['response'];
/** Records in which a text occurs; nothing is asked for one that is too short. */
export const useRecords = (text: string) =>
  useQuery({
    queryKey: ['records', text],
    queryFn: () => call('GET /api/records', { query: { text } }),
    enabled: text.trim().length > 1,
    placeholderData: (before) => before,
  });
/** Everything that happened to a record. */
export const useTrail = (key: TracedRecord['key'] | undefined) =>
  useQuery({
    queryKey: ['records', 'trail', key],
    queryFn: () => call('GET /api/records/trail', { query: key ?? { account: '', place: '', id: '' } }),
    enabled: key !== undefined,
  });
/** A record as it is now in each of its apps. */
export const useAsItIsNow = (key: TracedRecord['key'] | undefined) =>
  useQuery({
    queryKey: ['records', 'now', key],
    queryFn: () => call('GET /api/records/now', { query: key ?? { account: '', place: '', id: '' } }),
    enabled: key !== undefined,
  });

/** Records of a workflow that were left out, or were already known. */
export const useNotSent = (
  id: string,
  kind: 'left_out' | 'noted' | 'put_aside',
  reason: string | undefined,
  from: number,
) =>
  useQuery({
    queryKey: ['records', 'not-sent', id, kind, reason ?? '', from],
    queryFn: () =>
      call('GET /api/workflows/:id/not-sent', {
        params: { id },
        query: { kind, from, ...(reason !== undefined && { reason }) },
      }),
    placeholderData: (before) => before,
  });

export type ReconcileSummary = Api['GET /api/reconciles']['response'][number];
export type Reconcile = Api['GET /api/reconciles/:id']['response'];
export type ReconcileRow = Api['GET /api/reconciles/:id/rows']['response'][number];
/** Comparisons of two places, the newest first. */
export const useReconciles = () =>
  useQuery({ queryKey: ['reconciles'], queryFn: () => call('GET /api/reconciles', {}) });
/** One comparison. */
export const useReconcile = (id: string) =>
  useQuery({
    queryKey: ['reconciles', id],
    queryFn: () => call('GET /api/reconciles/:id', { params: { id } }),
    enabled: id !== '',
  });
/** What a comparison found, of one kind and in one field where those are chosen, so many of them. */
export const useReconcileRows = (
  id: string,
  kind: ReconcileRow['kind'] | undefined,
  field: string | undefined,
  limit: number,
) =>
  useQuery({
    queryKey: ['reconciles', id, 'rows', kind ?? '', field ?? '', limit],
    queryFn: () =>
      call('GET /api/reconciles/:id/rows', {
        params: { id },
        query: { limit, ...(kind && { kind }), ...(field !== undefined && { field }) },
      }),
    placeholderData: (before) => before,
  });
export type Undo = Api['GET /api/undos/:id']['response'];
export type UndoRow = Api['GET /api/undos/:id/rows']['response'][number];
/** The newest undoing of a run; null where none was begun. */
export const useUndo = (run: string) =>
  useQuery({
    queryKey: ['undo', run],
    queryFn: async () => (await call('GET /api/runs/:id/undo', { params: { id: run } })).undo,
  });
/** What taking one record back would do now, while that is asked. */
export const useProspect = (itemId: string, isAsked: boolean) =>
  useQuery({
    queryKey: ['undo', 'item', itemId],
    queryFn: () => call('GET /api/items/:id/undo', { params: { id: itemId } }),
    enabled: isAsked,
    staleTime: 0,
    gcTime: 0,
  });
/** The records of an undoing, of one kind or state where those are chosen. */
export const useUndoRows = (id: string, of: Partial<Pick<UndoRow, 'kind' | 'state'>>, from: number, limit: number) =>
  useQuery({
    queryKey: ['undo', id, 'rows', of.kind ?? '', of.state ?? '', from, limit],
    queryFn: () => call('GET /api/undos/:id/rows', { params: { id }, query: { from, limit, ...of } }),
    placeholderData: (before) => before,
  });
export type InStepRow = Api['GET /api/in-step']['response'][number];
export type InStep = Api['GET /api/in-step/:id']['response'];
export type InStepLeg = InStep['legs'][number];
/** The pairs of places that are kept in step both ways. */
export const useInSteps = () => useQuery({ queryKey: ['in-step'], queryFn: () => call('GET /api/in-step', {}) });
export const useInStep = (id: string) =>
  useQuery({ queryKey: ['in-step', id], queryFn: () => call('GET /api/in-step/:id', { params: { id } }) });
export type RememberedLink = Api['GET /api/links']['response']['links'][number];
/** The remembered pairs in which a text occurs. */
export const useLinks = (search: string) =>
  useQuery({
    queryKey: ['links', search],
    queryFn: () => call('GET /api/links', { query: { search } }),
    placeholderData: (before) => before,
  });

export type PlaceLook = Api['POST /api/workflows/import/places']['response'][number];

/** Whether the places of a file are there with these connections. */
export const usePlacesOfFile = (text: string, connections: Readonly<Record<string, string>>) =>
  useQuery({
    queryKey: ['places-of-file', text, connections],
    queryFn: () => call('POST /api/workflows/import/places', { body: { text, connections: { ...connections } } }),
    enabled: text !== '',
    placeholderData: (before) => before,
    staleTime: 0,
    retry: false,
  });

/** A newer edition of the ready-made one that a workflow was made from, beside its saved draft. */
export const useNewerEdition = (id: string, rev: number, isThere: boolean) =>
  useQuery({
    queryKey: ['edition', id, rev],
    queryFn: () => call('GET /api/workflows/:id/edition', { params: { id } }),
    enabled: isThere,
  });

/** The versions of a workflow and what changed. */
export const useVersions = (id: string) =>
  useQuery({
    queryKey: ['versions', id],
    queryFn: () => call('GET /api/workflows/:id/versions', { params: { id } }),
  });

/** How the practice apps stand, and what uses them. */
export const usePractice = () => useQuery({ queryKey: ['practice'], queryFn: () => call('GET /api/practice', {}) });
/** Which of the first steps were done. */
export const useFirstSteps = () =>
  useQuery({ queryKey: ['first-steps'], queryFn: () => call('GET /api/first-steps', {}) });
/** The ready-made workflows. */
export const useReady = () => useQuery({ queryKey: ['ready'], queryFn: () => call('GET /api/ready', {}) });

/** How many records each starting point means, for the saved draft's source. */
export const useCounts = (id: string, sourceKey: string, isSaved: boolean) =>
  useQuery({
    queryKey: ['counts', id, sourceKey],
    queryFn: () => call('GET /api/workflows/:id/counts', { params: { id } }),
    enabled: sourceKey !== '' && isSaved,
    staleTime: 15_000,
    retry: false,
  });

/** What lies between the last check and now, asked while the person is about to make the draft live. */
export const useBetween = (id: string, rev: number, isOpen: boolean) =>
  useQuery({
    queryKey: ['between', id, rev],
    queryFn: () => call('GET /api/workflows/:id/between', { params: { id } }),
    enabled: isOpen,
    staleTime: 0,
    retry: false,
  });

/** What becomes of those who wait on earlier versions, asked in the same moment. */
export const useWaiters = (id: string, rev: number, isOpen: boolean) =>
  useQuery({
    queryKey: ['waiters', id, rev],
    queryFn: () => call('GET /api/workflows/:id/waiters', { params: { id } }),
    enabled: isOpen,
    staleTime: 0,
    retry: false,
  });

/** Above how many records a check is held, by what came so far. */
export const useUsual = (id: string) =>
  useQuery({
    queryKey: ['usual', id],
    queryFn: () => call('GET /api/workflows/:id/usual', { params: { id } }),
  });

/** Fields of a draft that other live workflows write as well; asked anew with each saved draft. */
export const useAlsoWrites = (id: string, rev: number) =>
  useQuery({
    queryKey: ['also-writes', id, rev],
    queryFn: () => call('GET /api/workflows/:id/also-writes', { params: { id } }),
    placeholderData: (before) => before,
  });

/** What a draft doesn't carry on of its records' later lives; asked anew with each saved draft. */
export const useNotCovered = (id: string, rev: number, isOpen: boolean) =>
  useQuery({
    queryKey: ['not-covered', id, rev],
    queryFn: () => call('GET /api/workflows/:id/not-covered', { params: { id } }),
    enabled: isOpen,
  });
export type NotCovered = Api['GET /api/workflows/:id/not-covered']['response'][number];
/** The address of a source for posted events, with what came there. */
export const useDoor = (id: string) =>
  useQuery({
    queryKey: ['door', id],
    queryFn: () => call('GET /api/doors/:id', { params: { id } }),
    enabled: id !== '',
  });
export type DoorView = Api['GET /api/doors/:id']['response'];
/** The files that can go along with mails. */
export const useAttachments = () =>
  useQuery({ queryKey: ['attachments'], queryFn: () => call('GET /api/attachments', {}) });
/** The templates of documents. */
export const useDocumentTemplates = () =>
  useQuery({ queryKey: ['document-templates'], queryFn: () => call('GET /api/document-templates', {}) });
/** The address of a source for mails, with what came there. */
export const useForm = (id: string) =>
  useQuery({ queryKey: ['form', id], queryFn: () => call('GET /api/forms/:id', { params: { id } }) });
export type FormView = NonNullable<ReturnType<typeof useForm>['data']>;
export const useMailDoor = (id: string) =>
  useQuery({
    queryKey: ['mail-door', id],
    queryFn: () => call('GET /api/mail-doors/:id', { params: { id } }),
    enabled: id !== '',
  });
export type MailDoorView = Api['GET /api/mail-doors/:id']['response'];
/** How an inbox takes in files, and what has come. */
export const useFiles = (id: string) =>
  useQuery({
    queryKey: ['files', id],
    queryFn: () => call('GET /api/files/:id', { params: { id } }),
    enabled: id !== '',
  });
export type FilesView = Api['GET /api/files/:id']['response'];
/** The inbox into which files for a workflow are dropped; null where it takes none. */
export const useFileInbox = (workflow: string) =>
  useQuery({
    queryKey: ['workflow', workflow, 'files'],
    queryFn: () => call('GET /api/workflows/:id/files', { params: { id: workflow } }),
  });
/** The public address, and whether others reach it. */
export const usePublicAddress = () =>
  useQuery({ queryKey: ['public-address'], queryFn: () => call('GET /api/public-address', {}) });
/** The last rehearsal of a workflow. */
export const useRehearsal = (id: string) =>
  useQuery({
    queryKey: ['rehearsal', id],
    queryFn: () => call('GET /api/workflows/:id/rehearsal', { params: { id } }),
  });
/** The runs of a workflow, the newest first. */
export const useRuns = (id: string) =>
  useQuery({ queryKey: ['runs', id], queryFn: () => call('GET /api/workflows/:id/runs', { params: { id } }) });
/** The last days of a workflow by outcome. */
export const useDays = (id: string, count: number) =>
  useQuery({
    queryKey: ['days', id, count],
    queryFn: () => call('GET /api/workflows/:id/days', { params: { id }, query: { count } }),
    placeholderData: (before) => before,
  });
/** One run with the version it ran. */
export const useRun = (id: string) =>
  useQuery({ queryKey: ['run', id], queryFn: () => call('GET /api/runs/:id', { params: { id } }), enabled: id !== '' });
/** One record on its way, step by step. */
export const useItem = (id: string) =>
  useQuery({
    queryKey: ['item', id],
    queryFn: () => call('GET /api/items/:id', { params: { id } }),
    enabled: id !== '',
  });

/** What there is to know of a workflow and of those that it hands over to, or that hand over to it. */
export type Handing = Api['GET /api/workflows/:id/handing']['response'];

/** Both ends of handing over around a workflow. */
export const useHanding = (id: string, isWanted = true) =>
  useQuery({
    queryKey: ['handing', id],
    queryFn: () => call('GET /api/workflows/:id/handing', { params: { id } }),
    enabled: isWanted,
  });

/** Reads one thing anew, such as the samples after they were fetched again. */
export const readAnew = (name: QueryName): void => refresher.changed(name);

/** Does something on the server, and tells when it can't. What it changed is read anew by name (`changed-by.ts`). */
export function useAction<Input, Output>(work: (input: Input) => Promise<Output>, told?: string) {
  return useMutation({
    mutationFn: work,
    onSuccess: () => {
      if (told) toast(told);
    },
    onError: (error) => toast.error(error.message),
  });
}

const topics: Record<ChangeEvent['topic'], readonly QueryName[]> = {
  door: ['door', 'mail-door', 'form', 'files', 'samples', 'profile', 'counts', 'place', 'drift'],
  workflow: ['today', 'workflows', 'workflow', 'versions', 'first-steps', 'in-step'],
  run: ['today', 'workflows', 'workflow', 'runs', 'days', 'run', 'run-items', 'in-step'],
  item: ['today', 'runs', 'days', 'run', 'run-items', 'item', 'decide', 'due', 'records', 'in-step'],
  rehearsal: ['rehearsal', 'rehearsal-items', 'first-steps', 'due', 'in-step'],
  connection: ['today', 'connections'],
  duplicates: ['duplicates'],
  reconcile: ['reconciles', 'today'],
  undo: ['undo'],
  workspace: [
    'today',
    'settings',
    'workflows',
    'workflow',
    'practice',
    'apps',
    'connections',
    'text-templates',
    'document-templates',
  ],
};

/** Keeps what is shown in step with the server, by its stream of changes. */
export function useChanges(): void {
  useEffect(() => {
    const source = new EventSource('/api/events');
    let wasLost = false;
    source.addEventListener('change', (message) => {
      const event = JSON.parse((message as MessageEvent<string>).data) as ChangeEvent;
      for (const topic of topics[event.topic]) refresher.changed(topic);
    });
    source.addEventListener('error', () => {
      wasLost = true;
    });
    source.addEventListener('open', () => {
      if (wasLost) refresher.all();
      wasLost = false;
    });
    return () => source.close();
  }, []);
}
