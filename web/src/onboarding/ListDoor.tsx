import { FileSpreadsheet } from 'lucide-react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { asBase64 } from '../parts/bytes.ts';
import { ChooseFile } from '../parts/ChooseFile.tsx';
import { ProblemMessage } from '../parts/Messages.tsx';
import { useFileDrop } from '../parts/use-file-drop.ts';

/** A list is dropped, or chosen, and stands at once on a worksheet of its own. */
export function ListDoor() {
  const navigate = useNavigate();
  const take = useAction(async (file: File) => {
    const made = await call('POST /api/lists', { body: { name: file.name, bytes: await asBase64(file) } });
    await navigate(`/workflows/${made.id}`);
  });
  const takeFirst = ([file]: readonly File[]): void => {
    if (file) take.mutate(file);
  };
  const { isOver, handlers } = useFileDrop(takeFirst);
  return (
    <section
      aria-labelledby="door-list"
      {...handlers}
      className={`flex min-h-[230px] flex-col items-start rounded-lg border border-dashed border-pine px-6 py-5 ${isOver ? 'bg-pine-tint' : 'bg-sheet'}`}
    >
      <h2 id="door-list" className="text-2xl">
        Drop a list here
      </h2>
      <p className="mt-2 mb-4 text-md">
        A CSV or Excel file of customers, orders or enquiries. You see at once what is in it: which columns, what is
        missing, what tells the records apart.
      </p>
      <ChooseFile
        look="main"
        icon={<FileSpreadsheet size={15} strokeWidth={1.75} />}
        isBusy={take.isPending}
        label="A list"
        accept=".csv,.xlsx,.xlsm,.ods"
        onFiles={takeFirst}
      >
        {take.isPending ? 'Reading the list…' : 'Choose a file'}
      </ChooseFile>
      {take.error && (
        <div className="mt-3 w-full">
          <ProblemMessage>{take.error.message}</ProblemMessage>
        </div>
      )}
      <p className="mt-auto pt-4 text-sm text-ink-2">Your file stays as it is: a copy of it is read.</p>
    </section>
  );
}
