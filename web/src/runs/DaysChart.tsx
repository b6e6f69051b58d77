import type { ItemStateName } from '@golden/core';
import { DateTime } from 'luxon';
import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { counted } from '../parts/formats.ts';
import { stateLooks } from '../parts/OutcomeMark.tsx';

interface ChartProps {
  readonly days: readonly { readonly day: string; readonly items: Readonly<Record<ItemStateName, number>> }[];
  readonly states: readonly ItemStateName[];
  readonly fills: Readonly<Record<ItemStateName, string>>;
}

const short = (day: string): string => DateTime.fromISO(day).setLocale('en-GB').toFormat('d LLL');

/** Records by day, one outcome above the other. */
export function DaysChart({ days, states, fills }: ChartProps) {
  return (
    <ResponsiveContainer width="100%" height="100%">
      <BarChart
        accessibilityLayer={false}
        data={days.map(({ day, items }) => ({ day, ...items }))}
        margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
      >
        <XAxis
          dataKey="day"
          tickFormatter={short}
          tickLine={false}
          minTickGap={28}
          tick={{ fontSize: 11, fill: 'var(--ink-2)' }}
          stroke="var(--line-1)"
        />
        <YAxis
          width={34}
          allowDecimals={false}
          tickLine={false}
          axisLine={false}
          tick={{ fontSize: 11, fill: 'var(--ink-2)' }}
        />
        <Tooltip
          isAnimationActive={false}
          cursor={{ fill: 'var(--line-2)' }}
          content={({ active, payload, label }) =>
            active && payload && payload.length > 0 ? (
              <div className="rounded-md border border-line-1 bg-raised px-2.5 py-1.5 text-sm">
                <p className="font-medium">{short(String(label))}</p>
                {payload
                  .filter((one) => Number(one.value) > 0)
                  .map((one) => (
                    <p key={String(one.dataKey)}>
                      {counted(Number(one.value), 'record')} {stateLooks[one.dataKey as ItemStateName].word}
                    </p>
                  ))}
              </div>
            ) : null
          }
        />
        {states.map((state) => (
          <Bar key={state} dataKey={state} stackId="all" fill={fills[state]} isAnimationActive={false} />
        ))}
      </BarChart>
    </ResponsiveContainer>
  );
}
