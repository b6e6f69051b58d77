import { Link } from 'react-router';
import { useSettings } from '../api/queries.ts';

const names = new Intl.DisplayNames('en-GB', { type: 'region' });

/** By which zone and country dates and numbers are read, where that matters first; both came from the browser. */
export function ReadAsNote() {
  const settings = useSettings().data;
  if (!settings) return null;
  return (
    <span>
      Dates, numbers and telephone numbers are read as in {names.of(settings.country) ?? settings.country}, by the clock
      of {settings.zone.replaceAll('_', ' ')}.{' '}
      <Link to="/settings" className="underlined">
        Change this
      </Link>
    </span>
  );
}
