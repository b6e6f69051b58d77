import { withRenamedPlace } from '@golden/core';
import { RefreshCw } from 'lucide-react';
import type { GonePlace } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { ProblemMessage } from '../../parts/Messages.tsx';
import { useEditor } from './context.tsx';

/** A place that isn't there any more, with what it is likely called by now: said by a person, what is known of it stays. */
export function GoneNote({ gone }: { readonly gone: GonePlace }) {
  const { draft, lookAgain } = useEditor();
  const { sentence, place, likely } = gone;
  return (
    <div className="border-b border-line-1 px-5 py-1.5">
      <ProblemMessage
        action={
          <Button icon={<RefreshCw size={14} />} onClick={lookAgain}>
            Look again
          </Button>
        }
      >
        “{place}” isn’t there any more.{' '}
        {likely.length > 0 ? 'Was it renamed? Then everything known of it stays:' : 'Choose another place above.'}
        {likely.length > 0 && (
          <ul className="mt-1.5 space-y-1.5">
            {likely.map(({ path, labels, why }) => (
              <li key={path.join('\n')} className="flex flex-wrap items-center gap-2">
                <Button
                  onClick={() => draft.change((content) => withRenamedPlace(content, sentence, { path, labels }))}
                >
                  It is “{labels.join(' → ')}” now
                </Button>
                <span className="text-ink-2">{why}</span>
              </li>
            ))}
          </ul>
        )}
      </ProblemMessage>
    </div>
  );
}
