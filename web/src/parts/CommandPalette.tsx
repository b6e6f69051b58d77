import { Command as Palette } from 'cmdk';
import { Search } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useDeferredValue, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { useRecords, useWorkflows } from '../api/queries.ts';
import { type Command, useOffered } from './commands.ts';

interface PaletteProps {
  readonly isOpen: boolean;
  readonly onClose: () => void;
}

const groups: readonly Command['group'][] = ['Do', 'Go to', 'Find'];

const groupLook =
  '[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-1 [&_[cmdk-group-heading]]:text-sm [&_[cmdk-group-heading]]:text-ink-2';
const itemLook = 'flex cursor-pointer items-baseline gap-2 rounded-md px-3 py-1.5 data-[selected=true]:bg-pine-tint';

/** Everything by name: go to, do, find. */
export function CommandPalette({ isOpen, onClose }: PaletteProps) {
  const offered = useOffered();
  const [text, setText] = useState('');
  const asked = useDeferredValue(text);
  const records = useRecords(isOpen ? asked : '').data?.records ?? [];
  const workflows = useWorkflows().data;
  const navigate = useNavigate();
  const commands = useMemo(() => {
    const go = (to: string) => () => void navigate(to);
    const found = (workflows ?? []).flatMap((one): Command[] => [
      { id: `w-${one.id}`, group: 'Go to', text: one.name, hint: 'workflow', run: go(`/workflows/${one.id}`) },
      { id: `r-${one.id}`, group: 'Go to', text: one.name, hint: 'its runs', run: go(`/workflows/${one.id}/runs`) },
    ]);
    return [...offered, ...found];
  }, [offered, workflows, navigate]);
  return (
    <Dialog.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink-1/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-50 w-[600px] max-w-[94vw] -translate-x-1/2 overflow-hidden rounded-lg border border-line-1 bg-sheet"
        >
          <Dialog.Title className="sr-only">Find a record, a workflow, a command</Dialog.Title>
          <Palette label="Find a record, a workflow, a command" loop>
            <div className="flex items-center gap-2 border-b border-line-1 px-4">
              <Search size={16} strokeWidth={1.75} className="text-ink-2" aria-hidden="true" />
              <Palette.Input
                value={text}
                onValueChange={setText}
                placeholder="Find a record, a workflow, a command"
                className="h-[46px] flex-1 bg-transparent text-md outline-none placeholder:text-ink-3"
              />
            </div>
            <Palette.List className="max-h-[50vh] overflow-y-auto p-1.5">
              <Palette.Empty className="px-3 py-4 text-ink-2">Nothing found.</Palette.Empty>
              {asked.trim().length > 1 && records.length > 0 && (
                <Palette.Group heading="Records" className={groupLook}>
                  {records.slice(0, 6).map((one) => (
                    <Palette.Item
                      key={`${one.key.account} ${one.key.place} ${one.key.id}`}
                      // What was typed is in it: it was found by more than its name.
                      value={`${text} ${one.title} ${one.key.place} ${one.key.id}`}
                      onSelect={() => {
                        onClose();
                        void navigate(`/records?${new URLSearchParams({ text, ...one.key })}`);
                      }}
                      className={itemLook}
                    >
                      <span className="truncate">{one.title || one.key.id}</span>
                      <span className="truncate text-sm text-ink-2">
                        {one.app}, {one.singular}
                      </span>
                    </Palette.Item>
                  ))}
                </Palette.Group>
              )}
              {groups.map((group) => {
                const some = commands.filter((command) => command.group === group);
                return (
                  some.length > 0 && (
                    <Palette.Group key={group} heading={group} className={groupLook}>
                      {some.map((command) => (
                        <Palette.Item
                          key={command.id}
                          value={`${command.text} ${command.hint ?? ''} ${command.id}`}
                          onSelect={() => {
                            onClose();
                            command.run();
                          }}
                          className={itemLook}
                        >
                          <span className="truncate">{command.text}</span>
                          {command.hint && <span className="truncate text-sm text-ink-2">{command.hint}</span>}
                          {command.keys && <kbd className="key ml-auto">{command.keys}</kbd>}
                        </Palette.Item>
                      ))}
                    </Palette.Group>
                  )
                );
              })}
            </Palette.List>
          </Palette>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
