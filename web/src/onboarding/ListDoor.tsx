import { FileSpreadsheet } from 'lucide-react';
import { type DragEvent, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { call } from '../api/client.ts';
import { useAction } from '../api/queries.ts';
import { Button } from '../parts/Button.tsx';
import { asBase64 } from '../parts/bytes.ts';
import { ProblemMessage } from '../parts/Messages.tsx';

/** A list is dropped, or chosen, and stands at once on a worksheet of its own. */
export function ListDoor() {
  const navigate = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  const [isOver, setOver] = useState(false);
  const take = useAction(async (file: File) => {
    const made = await call('POST /api/lists', { body: { name: file.name, bytes: await asBase64(file) } });
    await navigate(`/workflows/${made.id}`);
  });
  const drop = (event: DragEvent): void => {
    event.preventDefault();
    setOver(false);
    const [file] = event.dataTransfer.files;
    if (file) take.mutate(file);
  };
  return (
    <section
      aria-labelledby="door-list"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      className={`flex min-h-[230px] flex-col items-start rounded-lg border border-dashed border-pine px-6 py-5 ${isOver ? 'bg-pine-tint' : 'bg-sheet'}`}
    >
      <h2 id="door-list" className="text-2xl">
        Drop a list here
      </h2>
      <p className="mt-2 mb-4 text-md">
        A CSV or Excel file of customers, orders or enquiries. You see at once what is in it: which columns, what is
        missing, what tells the records apart.
      </p>
      <Button
        look="main"
        icon={<FileSpreadsheet size={15} strokeWidth={1.75} />}
        disabled={take.isPending}
        onClick={() => input.current?.click()}
      >
        {take.isPending ? 'Reading the list…' : 'Choose a file'}
      </Button>
      <input
        ref={input}
        type="file"
        accept=".csv,.xlsx,.xlsm,.ods"
        aria-label="A list"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const [file] = event.currentTarget.files ?? [];
          if (file) take.mutate(file);
          event.currentTarget.value = '';
        }}
      />
      {take.error && (
        <div className="mt-3 w-full">
          <ProblemMessage>{take.error.message}</ProblemMessage>
        </div>
      )}
      <p className="mt-auto pt-4 text-sm text-ink-2">Your file stays as it is: a copy of it is read.</p>
    </section>
  );
}
