import { Bar, BarChart, Cell, ResponsiveContainer, XAxis } from 'recharts';
import type { Bar as DayBar } from './time-axis.ts';

interface ChartProps {
  readonly bars: readonly DayBar[];
  /** The first day that is sent: empty sends all, undefined none. */
  readonly from: string | undefined;
}

/** Records by day; those that are sent are filled. */
export function DayChart({ bars, from }: ChartProps) {
  return (
    <ResponsiveContainer width="100%" height="100%">
      <BarChart
        accessibilityLayer={false}
        data={[...bars]}
        margin={{ top: 2, right: 0, bottom: 0, left: 0 }}
        barCategoryGap={1}
      >
        <XAxis dataKey="day" hide />
        <Bar dataKey="count" minPointSize={1} maxBarSize={56} isAnimationActive={false}>
          {bars.map((bar) => (
            <Cell key={bar.day} fill={from !== undefined && bar.day >= from ? 'var(--pine)' : 'var(--line-input)'} />
          ))}
        </Bar>
      </BarChart>
    </ResponsiveContainer>
  );
}
