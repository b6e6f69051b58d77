// Words by which mail programs tell what follows, in the languages that our users' customers write in
// (common practice, not complete). All are compared folded to small letters.

/** What each line of a copied mail head is called. */
const headWords = {
  from: ['from', 'von', 'de', 'da', 'van', 'fra', 'från', 'od', 'expéditeur', 'remitente', 'mittente', 'lähettäjä'],
  to: ['to', 'an', 'à', 'a', 'para', 'aan', 'til', 'till', 'do', 'destinataire', 'destinatario', 'reply-to'],
  cc: ['cc', 'kopie', 'copie', 'copia', 'kopi', 'kopia', 'cci', 'bcc'],
  date: [
    'date',
    'datum',
    'sent',
    'gesendet',
    'envoyé',
    'enviado',
    'enviado el',
    'inviato',
    'data',
    'fecha',
    'verzonden',
  ].concat(['dato', 'sendt', 'skickat', 'wysłano', 'envoyé le', 'date d’envoi']),
  subject: [
    'subject',
    'betreff',
    'objet',
    'asunto',
    'oggetto',
    'onderwerp',
    'emne',
    'ämne',
    'temat',
    'assunto',
    'sujet',
  ],
} as const;
export type HeadWord = keyof typeof headWords;

const byWord = new Map<string, HeadWord>(
  (Object.keys(headWords) as HeadWord[]).flatMap((kind) => headWords[kind].map((word) => [word, kind] as const)),
);

/** A line of a copied mail head, such as `*Von:* Ada <ada@clay.example>`; undefined for any other line. */
export function readHeadLine(line: string): { readonly kind: HeadWord; readonly value: string } | undefined {
  const found = /^[\s>*_]*([\p{L}][\p{L}’' -]{0,18}?)\s*[*_]*\s*[:：][*_]*\s*(.*)$/u.exec(line);
  const kind = byWord.get((found?.[1] ?? '').trim().toLowerCase());
  return kind && { kind, value: (found?.[2] ?? '').replace(/[*_]+$/, '').trim() };
}

/** What introduces a mail that somebody sends on. */
export const forwardMark =
  /^[\s>]*(?:-{2,}\s*)?(?:begin(?:ning of)? forwarded message|forwarded message|weitergeleitete nachricht|anfang der weitergeleiteten nachricht|message transf[ée]r[ée]|d[ée]but du message (?:transf[ée]r[ée]|r[ée]exp[ée]di[ée])|mensaje reenviado|messaggio inoltrato|doorgestuurd bericht|vidarebefordrat meddelande|videresendt (?:besked|melding)|wiadomość przekazana)\s*:?\s*-*\s*$/iu;

/** What introduces the mail that is answered, where a program copies it whole. */
export const originalMark =
  /^[\s>]*-{2,}\s*(?:original message|original appointment|ursprüngliche nachricht|originalnachricht|message d['’]origine|message original|mensaje original|messaggio originale|oorspronkelijk bericht|originalmeddelande|original besked|oryginalna wiadomość)\s*-*\s*$/iu;

/** What programs put before the subject of a mail that is sent on. */
export const forwardSubject = /^\s*(?:fwd?|wg|tr|rv|enc|doorst|vb|vs|pd|i)(?:\[\d+\])?\s*[:：]/iu;

/** The last line of what introduces a quotation: "On … Ada wrote:". */
export const wroteMark =
  /(?:\bwrote|\bschrieb(?:en)?|\ba écrit|\bescribió|\bha scritto|\bschreef|\bskrev|\bnapisał(?:\(a\)|a)?|\bescreveu|\bkirjoitti)[^:]{0,60}[:：]\s*$/iu;

/** Words before a name with which letters end. */
export const closingMark =
  /^(?:(?:(?:with )?(?:many |best |kind |kindest |warm |warmest )?(?:thanks|regards|wishes|greetings)(?: (?:and|&) (?:best |kind |warm )?(?:regards|wishes|greetings))?|thank you(?: very much| so much)?|cheers|best|sincerely|yours(?: (?:sincerely|faithfully|truly))?|all the best|mit (?:freundlichen|besten|herzlichen|lieben) gr(?:ü|ue)(?:ß|ss)en|(?:viele|liebe|beste|herzliche|sch(?:ö|oe)ne) gr(?:ü|ue)(?:ß|ss)e|freundliche gr(?:ü|ue)(?:ß|ss)e|gru(?:ß|ss)|mfg|lg|vg|cordialement|bien (?:cordialement|à vous)|salutations(?: distinguées)?|saludos(?: cordiales)?|un saludo|atentamente|cordiali saluti|distinti saluti|saluti|met vriendelijke groet(?:en)?|groetjes|groeten|vriendelijke groet|med (?:vänlig|venlig|vennlig) (?:hälsning|hilsen)|(?:vänliga )?hälsningar|mvh|z poważaniem|pozdrawiam))\s*[,.!–-]*$/iu;

/** What telephones and mail programs put under every mail. */
export const deviceMark =
  /^(?:sent (?:from|via|with) (?:my |the )?[\p{L}\d][\p{L}\d .'’-]{1,50}|get \S.{0,40} for (?:ios|android)|von (?:meinem|unterwegs|mobil).{0,50}gesendet|gesendet (?:von|mit|über) .{2,50}|envoyé (?:de|depuis) (?:mon|ma) .{2,50}|enviado desde (?:mi|el) .{2,50}|inviato da(?:l mio)? .{2,50}|verzonden vanaf (?:mijn|een) .{2,50}|verstuurd vanaf .{2,50}|skickat från min .{2,50}|sendt fra min .{2,50})\.?$/iu;

/** How notes begin that firms put under every mail. */
export const noticeMark =
  /^(?:this (?:e-?mail|message)(?: \(?(?:and|including) (?:any|all|its) attachments?\)?,?)? (?:is|are|may|contains?|was|has been)\b.{0,200}(?:confidential|privileged|intended|virus|scanned)|(?:confidentiality notice|disclaimer|legal notice)\b|diese e-?mail (?:enth(?:ä|ae)lt|ist).{0,120}(?:vertraulich|empf(?:ä|ae)nger)|ce (?:message|courriel).{0,80}confidentiel|please consider the environment)/iu;
