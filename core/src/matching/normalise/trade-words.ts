import { foldUmlauts } from '../text/fold.ts';

/**
 * Words that stand in the names of very many firms and say next to nothing of which one is meant
 * (common practice, gathered by language: English, German, French, Spanish, Italian, Dutch, Polish,
 * Portuguese, Swedish and Danish): what they make and sell, what kind of house they are, where they are.
 */
const tradeWords = new Set(
  `pottery potteries potter ceramic ceramics clay glaze kiln kilns studio studios workshop works craft crafts art arts
   gallery design designs school schools primary college academy university institute centre center club society
   association foundation church community council trust hotel restaurant cafe bar pub inn bakery farm garden gardens
   shop store stores market house home building builders construction electric electrical electronics electronic
   engineering energy power solar water food foods fashion travel tours transport logistics motors auto garage
   services solutions systems system software technology digital media marketing consulting consultants partners
   associates management holding holdings group international global national european trading trade import export
   supplies supply products industries industrial manufacturing machines machinery tools equipment materials
   chemicals pharma medical health care dental clinic law legal insurance finance financial capital invest investment
   bank property properties estate estates estate lettings cleaning security print printing packaging paper wood
   metal steel glass plastics textile textiles sons brothers new old north south east west green blue royal city
   keramik topferei werkstatt atelier schule grundschule gymnasium verein handel handels vertrieb bau haus technik
   maschinenbau elektro holz metallbau druckerei verlag gartnerei garten gartenbau backerei metzgerei gasthaus
   dienstleistungen beratung verwaltung immobilien spedition transporte neue alte kunst handwerk stadt sud nord ost
   ceramique poterie ecole atelier maison boutique societe etablissements ets services conseil travaux batiment
   transports editions jardin jardins moulin artisans
   ceramica alfareria escuela taller casa construcciones comercial servicios grupo hermanos hijos tienda
   scuola bottega laboratorio edilizia fratelli figli gruppo commercio officina
   keramiek pottenbakkerij school winkel bouw handelsonderneming groep advies
   ceramika pracownia szkola handlowy uslugi zaklad firma
   escola oficina comercio servicos irmaos filhos
   keramikverkstad skola verkstad bygg handel tjanster keramikvaerksted skole vaerksted byg`
    .split(/\s+/)
    .filter((one) => one !== '')
    .map(foldUmlauts),
);

/** How often a word stands in names of firms before any were seen: words of the trade, and all others. */
export const usualFrequency = (word: string): number => (tradeWords.has(word) ? 0.02 : 0.003);
