import { foldUmlauts, words } from '../text/fold.ts';

/**
 * Legal forms, as they stand at the end of a name (a few at its beginning), folded and without dots.
 * Common practice, gathered by country: Germany, Austria and Switzerland; the United Kingdom and
 * Ireland; the United States; France and Belgium; Italy; the Netherlands; Spain, Portugal and Latin
 * America; Scandinavia; Central and Eastern Europe; Asia and Australia.
 */
const legalForms = new Set(
  `gmbh mbh ag kg kgaa ohg gbr ug ek eg ev se haftungsbeschrankt gesellschaft aktiengesellschaft
   ltd limited plc llp lp cic
   inc incorporated corp corporation co company llc pllc pc lc
   sa sas sasu sarl eurl snc sci scop scs sca societe anonyme sprl bvba srl
   spa srls sas sapa ss societa
   bv nv vof cv
   sl slu sll sau sociedad limitada ltda eireli lda me epp
   as asa ab oy oyj aps ans hb ky
   zrt kft nyrt bt sp zoo doo dd ad ood eood sro spol ooo oao zao pao jsc cjsc ojsc pjsc too uab
   pte pty pvt bhd sdn kk gk pt tbk ltee`
    .split(/\s+/)
    .filter((one) => one !== '')
    .map(foldUmlauts),
);

/** Words that join names and say nothing of whose they are. */
const joining = new Set('and und et e y og och en of the de la le der die das & i'.split(' '));

/** How words of firms are cut short (common practice). */
const longForms: Readonly<Record<string, string>> = {
  intl: 'international',
  int: 'international',
  mfg: 'manufacturing',
  tech: 'technology',
  technologies: 'technology',
  bros: 'brothers',
  svc: 'services',
  svcs: 'services',
  service: 'services',
  mgmt: 'management',
  assoc: 'associates',
  assn: 'association',
  constr: 'construction',
  consult: 'consulting',
  systems: 'system',
  sys: 'system',
  grp: 'group',
  natl: 'national',
  univ: 'university',
  ind: 'industries',
  industry: 'industries',
  industrial: 'industries',
  elec: 'electric',
  eng: 'engineering',
  sohne: 'sohn',
  sohn: 'sohn',
};

/** A company's name taken apart for comparing. */
export interface CompanyName {
  /** Its words without legal form and joining words, long forms written out. */
  readonly words: readonly string[];
  /** The legal form it gives itself, without dots; '' for none. */
  readonly form: string;
}

/**
 * The words by which a firm is known and its legal form apart: "Thistle & Sons Ltd." → thistle,
 * sons · ltd. A name of nothing but legal forms keeps them as words.
 */
export function companyName(text: string): CompanyName {
  // An apostrophe within a word is left out, not a gap: int'l, ind'l, sainsbury's.
  const all = words(foldUmlauts(text).replace(/['’`]/g, '').replace(/[&+]/g, ' and '));
  let end = all.length;
  while (end > 0 && (legalForms.has(all[end - 1] as string) || joining.has(all[end - 1] as string))) end -= 1;
  let start = 0;
  // "JSC Supertel", "PT …": one form may stand before the name.
  if (end > 1 && end === all.length && legalForms.has(all[0] as string)) start = 1;
  const known = all
    .slice(start, end)
    .filter((word) => !joining.has(word))
    .map((word) => longForms[word] ?? word);
  const form = [...all.slice(0, start), ...all.slice(end)].filter((word) => legalForms.has(word)).join(' ');
  return known.length > 0 ? { words: known, form } : { words: all, form: '' };
}
