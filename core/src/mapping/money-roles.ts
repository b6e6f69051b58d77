import type { Field } from '../values/field.ts';
import { conceptOf, nameWords } from './concepts.ts';

/**
 * What an amount of a sale means, after the business terms of EN 16931: the sum of the lines (BT-106),
 * allowances (BT-107), charges (BT-108), without tax (BT-109), tax (BT-110), with tax (BT-112), paid
 * already (BT-113), and what is left to pay (BT-115).
 */
export type TotalRole = 'lines' | 'allowance' | 'charge' | 'exclusive' | 'tax' | 'inclusive' | 'prepaid' | 'payable';

/** What a field of a line means: its quantity (BT-129), price (BT-146), allowance (BT-136), net amount (BT-131), rate and category of tax. */
export type LineRole = 'quantity' | 'price' | 'allowance' | 'net' | 'rate' | 'category' | 'unit' | 'article' | 'name';

const taxWord = /\b(tax|vat|gst|mw ?st|ust|tva|iva|btw|moms|steuer|umsatzsteuer|mehrwertsteuer|podatek)\b/;
const discountWord =
  /\b(allowance|discounts?|rebate|reduction|rabatt|nachlass|remise|descuento|sconto|desconto|korting|rabat)\b/;
const chargeWord =
  /\b(charges?|shipping|delivery|freight|carriage|postage|handling|versand|versandkosten|fracht|porto|port|frais|livraison|envio|gastos|spedizione|portes|verzendkosten|przesylka|frakt)\b/;
const netWord = /\b(net|netto|exclusive|excl|excluding|ex|without|hors|ht|sin|senza)\b/;
const grossWord = /\b(with|gross|brutto|inclusive|incl|including|ttc)\b/;
const rateWord = /\b(rate|percent|percentage|pct|satz|taux|tipo|aliquota|tarief)\b/;
/** What an amount isn't, whatever else its name says. */
const noAmount = /\b(category|code|number|no|id|scheme|name|reason|note|type|date|country)\b/;

const wordsOf = (field: Pick<Field, 'label'>): string =>
  nameWords(field.label.split(' · ').at(-1) ?? field.label).join(' ');
const isAmount = ({ type }: Pick<Field, 'type'>): boolean =>
  ['money', 'decimal', 'integer', 'any', 'text'].includes(type);

/** What an amount of a whole document means by its name; undefined for anything else. */
export function totalRoleOf(field: Pick<Field, 'label' | 'type'>): TotalRole | undefined {
  const words = wordsOf(field);
  if (!isAmount(field) || noAmount.test(words) || rateWord.test(words)) return undefined;
  if (/\b(prepaid|deposit|anzahlung|acompte)\b|\b(amount|already) paid\b|\bpaid (amount|total)\b/.test(words))
    return 'prepaid';
  if (
    /\b(payable|outstanding|zahlbetrag|to pay)\b|\b(amount|balance|total) due\b|\bbalance\b|\bdue amount\b/.test(words)
  )
    return 'payable';
  if (/^(net|netto|ht)$/.test(words)) return 'exclusive';
  if (/^(gross|brutto|ttc)$/.test(words)) return 'inclusive';
  if (
    /\b(line extension|sub ?total|subtotal|zwischensumme|sous total)\b|\b(lines?|items?|goods) (total|sum|amount)\b|\bsum of (the )?lines\b/.test(
      words,
    )
  )
    return 'lines';
  if (discountWord.test(words)) return 'allowance';
  if (chargeWord.test(words)) return 'charge';
  if (taxWord.test(words)) {
    if (netWord.test(words) || /\btaxable\b/.test(words)) return 'exclusive';
    return grossWord.test(words) ? 'inclusive' : 'tax';
  }
  if (/\btaxable\b/.test(words)) return 'exclusive';
  const isTotal =
    conceptOf(words) === 'total' ||
    /\b(total|amount|sum|betrag|summe|montant|importe|importo|bedrag|kwota|belopp)\b/.test(words);
  if (!isTotal) return undefined;
  return netWord.test(words) ? 'exclusive' : 'inclusive';
}

/** What a field of a line means by its name. */
export function lineRoleOf(field: Pick<Field, 'label' | 'type'>): LineRole | undefined {
  const words = wordsOf(field);
  if (taxWord.test(words) && !netWord.test(words)) return taxRoleOf(words);
  if (/\bunit (code|of measure)\b|\buom\b/.test(words) || words === 'unit') return 'unit';
  if (discountWord.test(words)) return isAmount(field) && !rateWord.test(words) ? 'allowance' : undefined;
  const known = goodsRoleOf(field, words);
  if (known) return known;
  const isNet = netAmount.test(words) && !grossWord.test(words);
  return isAmount(field) && isNet ? 'net' : undefined;
}

const netAmount = /\b(line (total|net|amount|extension amount)|extension amount|net amount|amount|total|betrag)\b/;

function taxRoleOf(words: string): LineRole | undefined {
  if (/\b(category|code|class)\b/.test(words)) return 'category';
  return rateWord.test(words) ? 'rate' : undefined;
}

/** What is sold, how many of it, and for how much each. */
function goodsRoleOf(field: Pick<Field, 'label' | 'type'>, words: string): LineRole | undefined {
  const concept = conceptOf(words);
  if (field.type !== 'id' && (concept === 'article' || /\b(sku|item id|sellers item id)\b/.test(words)))
    return 'article';
  if (concept === 'quantity' || /\bquantity\b/.test(words)) return 'quantity';
  if (concept === 'price' || /\bprice\b/.test(words)) return 'price';
  const isName = concept === 'name' || concept === 'description' || /\b(item name|product|title)\b/.test(words);
  return isName ? 'name' : undefined;
}
