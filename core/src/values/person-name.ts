import { nicknames } from '../matching/normalise/nicknames.ts';
import { foldUmlauts } from '../matching/text/fold.ts';
import { squeezeSpaces } from './text.ts';

// A person's name taken apart for writing it down in two fields: as people write names, never guessed
// further than its words tell.

/** Particles that belong to the last name (common practice). */
const particles =
  /^(van|von|de|der|den|del|della|di|da|dos|das|du|la|le|el|al|bin|ibn|ter|ten|zu|zum|zur|mac|st\.?|af|av|ó|ní|nic|uí)$/i;
const titles =
  /^(mr|mrs|ms|miss|mx|dr|prof|sir|rev|herr|frau|fr|hr|mme|mlle|m|monsieur|madame|sra?|sr|dott|ing|dipl|mag)\.?(-ing\.?)?$/i;
const suffixes = /^(jr|sr|ii|iii|iv|phd|mba|md|esq)\.?$/i;

/** Given names beside those that have short forms (common practice, not complete). */
const moreGivenNames = `
  anke anja antje astrid beate birte carsten detlef dorothee elke ernst erika florian friedrich frieda georg gerd gerda
  gisela greta gunther hanna hannah hans heike heiner heinrich helga helmut henning herbert hermann hilde holger horst ingo
  ingrid irene jan jens jorg jochen joachim jurgen jutta kai karin kerstin klaus lars lena leon lukas manfred marco margret
  marion marlene martina mathias meike mia nadine nils nina norbert olaf oliver otto paula petra pia rainer ralf reinhard
  renate rolf ruth sabine silke simone sonja stefanie susanne sven svenja thorsten tobias torsten ulrike uschi ute uwe
  volker walter waltraud werner wiebke wolfgang yvonne
  adam alan alice amy arthur audrey beatrice bridget bruce carl chloe claire colin derek diana doris eileen ella emma eric
  evan fiona gareth gary gavin gemma glenn gordon grace graham grant harry hazel heather helen holly hugh iain ian iris
  isla ivy jack jade jasmine jean jenny joan joanna jodie karen keith kerry kevin kim lauren leah lewis liam linda lorna
  lucy luke lynn marcus maria marie mark martha martin mary maureen max megan mia miles mira molly naomi neil nigel nora
  norman olive olivia oscar owen paige paul phoebe pippa priya rachel rebecca roger rory rose ross roy ruby ruth ryan
  sally sam sara sarah scott sean shane sharon sheila shona sian simon sophie stuart tara tracy trevor una vera victor
  wendy zoe zara aisha fatima mohammed muhammad ahmed ali omar hassan yusuf mehmet mustafa ayse emre deniz elif
  adele agathe alain amelie andre antoine arnaud aurelie benoit camille cecile celine chantal clement corinne damien
  delphine denis didier dominique elodie emilie eric estelle etienne fabien fabrice florence francois frederic gaelle
  gerard gilles guillaume helene herve hugo isabelle jacques jerome jules julien laurence laurent lea lucas lucie manon
  marc margaux marguerite mathieu mathilde maxime michel mireille monique nathalie nicolas noemie odile olivier pascal
  patrice philippe pierre quentin regine remi rene roland sabrina sandrine sebastien severine solene sylvain sylvie
  thierry thomas valerie veronique vincent virginie xavier yann yves
  adriana agustin alba alberto alejandra alejandro alicia alvaro ana andrea angel antonia araceli beatriz belen camila
  carla carlos carmen cesar clara concepcion consuelo cristina diego dolores eduardo elena emilio enrique ernesto esteban
  esther eva felipe fernando francisca gabriel gabriela gloria gonzalo guadalupe hector ignacio ines isabel ivan jaime
  javier jesus joaquin jorge jose josefa juan juana julia julio laura lorena lucia luis luisa manuel manuela marcos
  margarita marina mario marta mercedes miguel miriam monica montserrat natalia nuria oscar pablo patricia pedro pilar
  rafael ramon raquel raul ricardo roberto rocio rodrigo rosa rosario ruben salvador santiago sara sergio silvia sofia
  susana teresa tomas veronica vicente victoria yolanda
  alessandra alessandro alessia andrea anna antonella chiara claudio cristiano daniela davide elisa enrico fabio federica
  federico filippo francesca francesco giacomo gianluca giorgia giorgio giovanni giulia giulio giuseppe ilaria lorenzo
  luca lucia marcella marco mario martina massimo matteo mattia mauro michela michele nicola paola paolo pietro riccardo
  roberta salvatore sara serena sergio silvia simona stefania stefano tommaso umberto valentina vincenzo vittorio
  agnieszka aleksandra andrzej barbara beata bartosz bozena czeslaw danuta dariusz dorota elzbieta ewa grazyna grzegorz
  halina irena iwona jacek jadwiga janusz jerzy joanna jolanta justyna katarzyna krystyna krzysztof leszek lukasz
  magdalena malgorzata maciej marcin marek marzena mateusz michal miroslaw monika natalia pawel piotr rafal renata
  robert ryszard slawomir stanislaw sylwia tadeusz tomasz urszula waldemar wieslaw witold wojciech zbigniew zofia
  aad anneke annemarie arjan bas bram carla corine daan dennis eline els esther femke frank gerrit hanneke harm henk
  hennie ilse ineke jaap janneke jeroen jolanda joost joris jos jurre karel kees koen leo lieke liesbeth lotte maaike
  maarten marieke marijke marjolein mark marleen martijn michiel miriam nienke pieter ria rik roel ruud sanne sjoerd
  tineke ties tom truus wil willem wim wouter
  agneta anders anette annika arvid astrid axel bengt berit birgitta bjorn bo britt carina cecilia ebba elin emil erik
  eva fredrik gunilla gunnar gustav hakan hanna helena henrik ingela inger jakob jesper johan jonas karl kjell kristina
  lars leif lena lennart linnea lisbeth magnus maja maria marten mats mikael niklas nils ola ole oskar par per pernille
  petter pia rasmus rune signe siri sofie soren stina sune sven torben torsten tove ulf ulla viktor
`;

let known: ReadonlySet<string> | undefined;
const isGiven = (word: string): boolean => {
  known ??= new Set([...nicknames.flat(), ...moreGivenNames.split(/\s+/).filter(Boolean)].map(foldUmlauts));
  return word.split('-').every((part) => (known as ReadonlySet<string>).has(foldUmlauts(part)));
};

/** Family names that people of Spanish and Portuguese tongue bear two of (common practice; most end in -ez). */
const iberian = new Set(
  `garcia lopez martin moreno munoz alonso romero navarro torres ramos serrano blanco molina delgado ortega rubio marin
   iglesias medina garrido cortes castillo santos guerrero cano prieto calvo vega campos reyes cruz diez leon herrera silva
   souza sousa pereira oliveira costa ferreira almeida carvalho rodrigues goncalves fernandes lopes marques ribeiro pinto
   teixeira moreira correia mendes nunes soares vieira`
    .split(/\s+/)
    .filter(Boolean),
);
const isIberian = (word: string): boolean => {
  const plain = foldUmlauts(word);
  return iberian.has(plain) || /[aeiou][a-z]?[a-z]ez$/.test(plain);
};
/** Common family names of our users' languages (common practice, not complete); none that are given names as well. */
const familyNames = `
  muller schmidt schneider fischer weber meyer wagner becker schulz hoffmann schafer koch bauer richter klein wolf
  schroder neumann schwarz zimmermann braun kruger hofmann lange schmitt krause meier lehmann schmid schulze maier kohler
  konig mayer huber kaiser fuchs lang weiss jung hahn schubert vogel keller berger winkler roth
  beck baumann franke schuster bohm kraus schumacher kramer voigt stein jager brandt sauer pfeiffer
  smith jones williams brown taylor davies evans johnson roberts walker wright robinson thompson white hughes
  edwards green hall wood harris clarke jackson clark turner hill cooper moore ward watson morrison murphy kelly byrne
  dubois durand moreau lefebvre leroy roux girard bonnet dupont lambert fontaine rousseau blanc guerin garnier
  chevalier legrand gauthier perrin morin renard giraud lemaire duval
  rossi russo ferrari esposito bianchi colombo ricci greco gallo mancini costa giordano rizzo
  lombardi moretti barbieri fontana santoro mariani rinaldi caruso ferrara galli longo
  jong jansen vries berg bakker dijk visser smit meijer boer mulder bos vos peters hendriks dekker brouwer kok
  nowak kowalski wisniewski wojcik kowalczyk kaminski lewandowski zielinski szymanski wozniak mazur krawczyk kaczmarek
  andersson johansson karlsson nilsson eriksson larsson olsson persson svensson gustafsson lindqvist lindberg lindstrom
  nielsen jensen hansen pedersen andersen christensen larsen sorensen rasmussen jorgensen petersen madsen kristensen
  yilmaz kaya demir celik sahin yildiz aydin ozturk arslan dogan nair sharma patel singh khan hussain
`;
let families: ReadonlySet<string> | undefined;
/** Whether a word is surely a family name: a common one, or made like one. */
const isFamily = (word: string): boolean => {
  families ??= new Set([...familyNames.split(/\s+/).filter(Boolean), ...iberian]);
  const plain = foldUmlauts(word);
  return families.has(plain) || isIberian(word) || madeLikeFamily.test(plain);
};
const madeLikeFamily =
  /.{2}(mann|sson|ssen|nsen|[lnw]sk[ai]|[ei]ck[ai]|czyk|stein|berg|bauer|meier|meyer|maier|qvist|strom|oglu)$/;

const isInitial = (word: string): boolean => /^\p{L}\.?$/u.test(word) || /^(\p{L}\.){2,3}$/u.test(word);

/** A full name in its two parts. */
export interface SplitName {
  readonly first: string;
  readonly last: string;
}

/**
 * A full name in two, as people write names: "Nair, Priya", "Priya van der Nair", "M. Yilmaz", "Dr. Jürgen
 * Müller", "Schäfer Anke", "María García López". A name of one word is a last name, unless it is known as
 * a first one; nothing is ever said twice or lost but titles.
 */
export function splitName(full: string): SplitName {
  const name = squeezeSpaces(full);
  const comma = name.indexOf(',');
  if (comma >= 0) {
    const [before, after] = [bare(name.slice(0, comma)), bare(name.slice(comma + 1))];
    if (after.length === 0) return splitWords(before);
    // "Priya Nair, PhD" names nobody after its comma.
    return { first: after.join(' '), last: before.join(' ') };
  }
  return splitWords(bare(name));
}

/** The words of a name without titles before it and suffixes after it; all of them where nothing else is left. */
function bare(text: string): string[] {
  const all = text.split(/\s+/).filter(Boolean);
  let [from, to] = [0, all.length];
  while (from < to && titles.test(all[from] as string) && !(isInitial(all[from] as string) && to - from === 2))
    from += 1;
  while (to > from && suffixes.test((all[to - 1] as string).replace(/,$/, ''))) to -= 1;
  return all.slice(from, to);
}

function splitWords(words: readonly string[]): SplitName {
  if (words.length === 0) return { first: '', last: '' };
  const [head = '', ...rest] = words;
  if (rest.length === 0) return isGiven(head) ? { first: head, last: '' } : { first: '', last: head };
  const tail = words.at(-1) as string;
  // "Schäfer Anke", "Gonzalez R.": the family stands first, and is one. "Farid Hassan" and "Käthe Henning" stay as
  // they are: many a given name is a family name too.
  const startsWithFamily = !isGiven(head) && !isInitial(head) && !particles.test(head);
  const isTurned = isInitial(tail) || (isGiven(tail) && isFamily(head));
  if (words.length === 2 && startsWithFamily && isTurned) return { first: tail, last: head };
  let at = words.length - 1;
  if (words.length > 2 && isIberian(tail) && isIberian(words[at - 1] as string)) at -= 1;
  while (at > 1 && particles.test(words[at - 1] as string)) at -= 1;
  // "van der Wal" alone.
  if (words.slice(0, at).every((word) => particles.test(word))) return { first: '', last: words.join(' ') };
  return { first: words.slice(0, at).join(' '), last: words.slice(at).join(' ') };
}
