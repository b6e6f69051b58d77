import { Bar, BarChart, ReferenceLine, ResponsiveContainer, XAxis } from 'recharts';
import { percentText } from '../../parts/formats.ts';
import type { SureBin } from './sureness.ts';

interface ChartProps {
  readonly bins: readonly SureBin[];
  /** From how sure on a match is used by itself. */
  readonly sure: number;
}

/** How sure the likeliest matches of the samples are: which are used by themselves, and which are asked about. */
export function SureChart({ bins, sure }: ChartProps) {
  const count = bins.reduce((sum, bin) => sum + bin.found + bin.unclear + bin.none, 0);
  const said = bins
    .filter((bin) => bin.found + bin.unclear + bin.none > 0)
    .map((bin) => `${bin.found + bin.unclear + bin.none} from ${percentText(bin.from)}`)
    .join(', ');
  return (
    <figure className="mb-2">
      <div
        role="img"
        aria-label={`How sure the matches of ${count} samples are: ${said}`}
        className="h-[84px] max-w-[560px]"
      >
        <ResponsiveContainer width="100%" height="100%">
          <BarChart
            accessibilityLayer={false}
            data={bins.map((bin) => ({ ...bin, middle: bin.from + 0.05 }))}
            margin={{ top: 4, right: 8, bottom: 0, left: 8 }}
            barCategoryGap={2}
          >
            <XAxis
              dataKey="middle"
              type="number"
              domain={[0, 1]}
              ticks={[0, 0.2, 0.4, 0.6, 0.8, 1]}
              tickFormatter={(value: number) => percentText(value)}
              tickLine={false}
              tick={{ fontSize: 11, fill: 'var(--ink-2)' }}
              stroke="var(--line-1)"
            />
            <Bar dataKey="none" stackId="all" fill="var(--line-input)" isAnimationActive={false} />
            <Bar dataKey="unclear" stackId="all" fill="var(--brass-fill)" isAnimationActive={false} />
            <Bar dataKey="found" stackId="all" fill="var(--pine)" isAnimationActive={false} />
            <ReferenceLine x={sure} stroke="var(--ink-1)" strokeWidth={1.5} />
          </BarChart>
        </ResponsiveContainer>
      </div>
      <figcaption className="text-sm text-ink-2">
        How sure the likeliest match of each sample is. Right of the line it is used by itself; the yellow ones are
        asked about.
      </figcaption>
    </figure>
  );
}
