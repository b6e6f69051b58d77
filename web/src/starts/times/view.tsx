import { nextAfter, weekdays } from '@golden/core';
import { Plus, X } from 'lucide-react';
import { ToggleGroup } from 'radix-ui';
import { useEditor } from '../../editor/draft/context.tsx';
import { Button } from '../../parts/Button.tsx';
import { inputLook } from '../../parts/Field.tsx';
import { formatDayAndTime } from '../../parts/formats.ts';
import type { SettingProps, TriggerView } from '../view.ts';

const dayNames = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;
const shownNext = 3;

/** A start at set times of the week. */
export const times: TriggerView<'times'> = { label: 'at set times', isForListed: true, Setting };

/** The times and days, and when that is next. */
function Setting({ trigger, onChange }: SettingProps<'times'>) {
  const { zone } = useEditor();
  const { at, days } = trigger;
  const change = (index: number, time: string): void => onChange({ ...trigger, at: at.with(index, time) });
  return (
    <div className="flex w-full flex-wrap items-center gap-2">
      {at.map((time, index) => (
        // Two of them may be equal while one is being changed.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <span key={index} className="flex items-center">
          <input
            type="time"
            aria-label={at.length === 1 ? 'At what time' : `At what time, no. ${index + 1}`}
            value={time}
            onChange={(event) => event.target.value && change(index, event.target.value)}
            className={inputLook}
          />
          {at.length > 1 && (
            <Button
              look="quiet"
              aria-label={`Remove ${time}`}
              icon={<X size={14} />}
              onClick={() => onChange({ ...trigger, at: at.toSpliced(index, 1) })}
            />
          )}
        </span>
      ))}
      <Button look="quiet" icon={<Plus size={14} />} onClick={() => onChange({ ...trigger, at: [...at, '12:00'] })}>
        Another time
      </Button>
      <div className="flex w-full items-center gap-2">
        <span className="text-ink-2">on</span>
        <ToggleGroup.Root
          type="multiple"
          aria-label="On which days"
          value={days.map(String)}
          onValueChange={(chosen) =>
            onChange({ ...trigger, days: weekdays.filter((day) => chosen.includes(String(day))) })
          }
          className="flex overflow-hidden rounded-md border border-line-input"
        >
          {weekdays.map((day) => (
            <ToggleGroup.Item
              key={day}
              value={String(day)}
              aria-label={dayNames[day - 1]}
              className="h-[28px] border-r border-line-2 px-2 text-ink-2 last:border-r-0 data-[state=on]:bg-pine-tint data-[state=on]:font-semibold data-[state=on]:text-pine"
            >
              {dayNames[day - 1]?.slice(0, 2)}
            </ToggleGroup.Item>
          ))}
        </ToggleGroup.Root>
      </div>
      <NextTimes trigger={trigger} zone={zone} />
    </div>
  );
}

function NextTimes({ trigger, zone }: Pick<SettingProps<'times'>, 'trigger'> & { readonly zone: string }) {
  const next: string[] = [];
  for (let from: string | null = new Date().toISOString(); from !== null && next.length < shownNext; ) {
    from = nextAfter(trigger, from, zone);
    if (from !== null) next.push(from);
  }
  if (next.length === 0) return null;
  return (
    <p className="w-full text-sm text-ink-2">
      Next: {next.map((instant) => formatDayAndTime(instant, zone)).join(', ')} ({zone})
    </p>
  );
}
