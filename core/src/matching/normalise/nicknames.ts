/**
 * Given names and the short forms people use for them, a line a name (common practice, gathered by
 * hand; not complete). English, German, Dutch, French, Italian, Spanish, Scandinavian.
 */
export const nicknames: readonly (readonly string[])[] = `
alexander alex sandy xander sascha sander alec lex
alexandra alex sandra sandy sascha lexi
alfred alf fred alfie
amanda mandy
andrew andy drew
andreas andi anders
angela angie angelika geli
ann anne anna annie nancy anneke anni anja
anthony tony anton toni antonio
antonia toni
arthur art artie
barbara barb babs barbie
benjamin ben benny benjy
bernard bernie bernd bernhard
brigitte gitte birgit
carolyn carol carrie caroline carolina
catherine kate katie kathy cathy kathleen katherine katrin kathrin katharina kati kat trijntje
charles charlie chuck karl carl carlo charly
christian chris christiaan
christina christine chris tina kirsten kristin christa christel
christopher chris kit christoph christophe topher
claudia claudi
cornelia corrie cora nelly nel conny
cornelis cees kees cor cornelius
daniel dan danny dani
daniela dani danielle
david dave davy davide
deborah debbie deb
dietrich dieter
dirk dick diederik
donald don donny
dorothy dot dottie dorothea dora
douglas doug
edward ed eddie ted ned teddy eduard edouard edoardo
elizabeth liz beth lizzie betty eliza elisabeth lisa elsa ilse lisbeth els bettina elise
emily em emmy
emmanuel manu
eugene gene
federico fede
ferdinand ferdi
florian flo
francis frank franz francesco franco frans francois
frances fran francesca franca
frederick fred freddy freddie rick frederic friedrich fritz frederik
gabriel gabe
gabriele gabi gaby gabriela gabriella
geoffrey geoff jeff jeffrey
george georgie georg jorg georges giorgio joris
gerald gerry jerry gerard gerhard gerd
gregory greg
guillaume will
hannah hanna johanna
hans johannes johann
heinrich heinz heiner henry
helen nell helena ellen helene lena
hendrik henk rik
henry harry hank hal henri enrico
herbert herb bert
hubert bert
jacob jake jack jacques jakob jaap koos giacomo
jacoba coby
james jim jimmy jamie jem
janet jan jean
jean jeannie
jeremy jerry jem
jessica jess jessie
joachim jochen achim
johannes hans jan johan joop
john jack johnny jon jonny ian sean johann hans jan jean giovanni gianni juan ivan jonathan
jonathan jon jonny john nathan
joseph joe joey jo josef sepp giuseppe beppe pepe jose josephus
joshua josh
judith judy
juergen jurgen
julia julie jule
karen karin
kenneth ken kenny
kimberly kim
klaus claus nikolaus nicolas nico niklas
lawrence larry lars lorenzo lorenz laurens laurent
leonard leo len lenny leonardo leonhard
lewis lew louis luigi ludwig luis lodewijk
linda lindy
louise lou luise luisa
ludwig lutz
luca lucas luke lukas
madeleine maddie
manfred manni fred
margaret maggie meg peggy greta margarete margaretha grete gretel marge margherita rita margriet griet
maria marie mary mia mimi maike mieke marijke
marianne marian
mark marc marco markus marcus
martin marty martino maarten
martina tina
mathilde tilly
matthew matt matthias mathias matteo matthieu matthijs thijs
maximilian max
melissa missy mel
michael mike mick mickey michel michele micha maik
michelle shelly
nathan nate nathaniel nat
nicholas nick nicky nicolas nicola nico
nicole nicky
nigel nige
oliver ollie olivier
pamela pam
patricia pat patty trish tricia patti patrizia
patrick pat paddy
paul paolo pauli
peter pete pierre pietro piet pieter
petronella nel petra
philip phil philipp pip philippe filippo
rachel rae
ralph ralf
raymond ray
rebecca becky becca
reinhard reiner
richard rich rick dick ricky richie riccardo
robert rob bob bobby robbie bert roberto robin
roger rodge
roland rolf
ronald ron ronnie
rosemary rose rosie
rudolf rudi rudy rolf
russell russ
samantha sam sammy
samuel sam sammy
sandra alessandra
sarah sally sara
sebastian seb basti bas bastian
sebastiaan bas
silvia sylvie sylvia
simon si simone
stephanie steph steffi stefanie stephi
stephen steve steven stefan stephan stefano etienne
susan sue susie suzie susanne suzanne susi susanna sanne
teresa terry tess theresa tessa therese resi
theodore ted theo teddy theodoor
thomas tom tommy tomas tommaso
timothy tim timmy
tobias tobi
ulrich uli
ulrike uli
valerie val
veronica vera ronnie veronika
victoria vicky tori vic
vincent vince vinny vincenzo enzo
virginia ginny
walter walt wally wolter
wilhelm willi willy wilm helmut
wilhelmina mina willie
william will bill billy willie liam willem wim guillermo guglielmo pim
wolfgang wolf
yvonne yvi
zachary zach zack
`
  .trim()
  .split('\n')
  .map((line) => line.split(' '));
