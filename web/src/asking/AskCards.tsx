import { MessageCircleQuestion } from 'lucide-react';
import { Link } from 'react-router';
import { useAsks } from '../api/queries.ts';
import { counted, formatDayAndTime } from '../parts/formats.ts';

type Group = NonNullable<ReturnType<typeof useAsks>['data']>[number];

/** "Priya Nair, Jonas Weber and 3 more". */
export function titlesText({ titles, count }: Pick<Group, 'titles' | 'count'>): string {
  const rest = count - titles.length;
  return rest > 0 ? `${titles.join(', ')} and ${rest} more` : titles.join(', ');
}

/** "12 records to approve". */
export const groupTitle = ({ kind, count }: Pick<Group, 'kind' | 'count'>): string =>
  counted(count, 'record') + (kind === 'approval' ? ' to approve' : ' with questions');

/** What is to be approved or answered, as cards of a list: something to do, each step that asks once. */
export function AskCards({ zone }: { readonly zone: string }) {
  const groups = useAsks().data ?? [];
  return (
    <>
      {groups.map((group) => (
        <li key={`${group.workflowId} ${group.step}`}>
          <article className="flex h-full gap-3 rounded-lg border border-line-1 bg-pine-faint px-4 py-3">
            <MessageCircleQuestion
              size={18}
              strokeWidth={1.75}
              className="mt-1 shrink-0 text-pine"
              aria-hidden="true"
            />
            <div className="min-w-0">
              <h2 className="text-lg leading-snug">{groupTitle(group)}</h2>
              <p className="mt-0.5 text-sm text-ink-2">
                {group.workflow}
                {group.until !== null && ` · until ${formatDayAndTime(group.until, zone)}`}
              </p>
              <p className="mt-0.5 line-clamp-2 text-sm">{titlesText(group)}</p>
              {group.trouble && <p className="mt-0.5 text-sm text-brick">{group.trouble}</p>}
              <p className="mt-1 font-semibold text-pine">
                <Link to={`/answer/${group.workflowId}/${group.step}`}>
                  {group.kind === 'approval' ? 'Look and approve' : 'Answer'}
                </Link>
              </p>
            </div>
          </article>
        </li>
      ))}
    </>
  );
}
