# The words that readers see, in Italian.

# Numbers
amount = { $number } { $sign }
percent = { $number }%
million = Mln
billion = Mrd
trillion = Bln

# Tables
total = Totale
none = (senza)
unknown = (sconosciuto)
figure = Indicatore
value = Valore
no-value = nessun valore
no-rows = Nessun record corrisponde.
rows = { $count ->
    [one] 1 record
   *[other] { $n } record
}
rows-of = { $count ->
    [one] { $shown } di 1 record
   *[other] { $shown } di { $n } record
}
figure-by-columns = { $figure } per { $axes } (colonne)
on-columns = { $axes } in colonne
part-of-columns = (colonne, parte { $part } di { $parts })
lines-drawn = Sono disegnate { $drawn } righe su { $n }; una pagina o un file le mostra tutte.
table-of-lines = { $count ->
    [one] Una tabella di 1 riga.
   *[other] Una tabella di { $n } righe.
}

# What marks of figures mean
mark-off-sum = non è la somma delle righe
mark-partial = solo per una parte del periodo
mark-shared = con record che appartengono anche a un elemento mostrato
remark-off-sum = ≠ { $figure }: non è la somma delle righe; { $why }
remark-stacked = ≠ { $figure }: l’altezza non è il totale; { $why }
remark-partial = † { $figure }: solo per una parte del periodo; { $lacking } ({ $count ->
    [one] 1 riga
   *[other] { $n } righe
}).
remark-shared = ‡ { $figure }: { $rest } ha { $rows } a un elemento mostrato.
remark-shared-lines = ‡ { $figure }: { $rest } ha { $rows } a un elemento mostrato ({ $n } righe).
shared-rows = { $count ->
    [one] 1 record che appartiene anche
   *[other] { $n } record che appartengono anche
}
shared-rows-between = da { $few } a { $many } record che appartengono anche
remark-none = (senza): record che lì non hanno un valore.
remark-unknown = (sconosciuto): record la cui chiave manca nella tabella collegata.
lacking-day = { $last } precede il calendario
lacking-days = il periodo dal { $first } al { $last } precede il calendario
lacking-working-days = i giorni lavorativi fino al { $last } precedono il calendario
why-distinct = nel totale { $of } conta una volta per valore, su quante righe si trovi.
why-average-of-rows = il totale è calcolato su tutti i record che lo compongono.
why-average = il totale è calcolato su ogni valore di { $of }, una volta ciascuno.
why-extreme = il totale è scelto tra tutti i record che lo compongono.
why-formula = la formula è calcolata dai totali delle sue parti.
why-date-range = ogni riga prende anche giorni di altre righe, o solo una parte dei propri.
why-forgotten = ogni riga va oltre i propri record, quindi la somma delle righe non è il totale.
why-window = il valore dipende dalle righe mostrate.
why-bridge = ciò che ha più record in { $of } sta su più righe, e una volta nel totale.
why-variant = i totali hanno una formula propria.
why-elsewhere = alcuni record non stanno su nessuna riga.
why-blank = { $count ->
    [one] 1 riga non ha un valore, perché { $term } non lo ha; il totale contiene ciò che le manca.
   *[other] { $n } righe non hanno un valore, perché { $term } non lo ha; il totale contiene ciò che manca loro.
}

# Pictures
no-values-to-draw = Non ci sono valori da disegnare.
and-more = e altri { $n }
largest-size = Dimensione: { $figure }, al massimo { $most }
and-beyond = { $cut } e oltre, fino a { $most }
the-same = invariato
against = { $change } rispetto a { $value }, { $figure }
lines-drawing = Linee: { $figures } per { $axis }
areas-drawing = Aree: { $figures } per { $axis }
bars-drawing = Barre: { $figures } per { $axis }
dots-drawing = Punti: { $figures } per { $axis }
shades-drawing = Griglia di tonalità: { $figures } per { $axis }
from-to = da { $first } a { $last }
in-panels = in { $n } riquadri

# Pages
page-of-rows = { $count ->
    [one] Una pagina di 1 fascia.
   *[other] Una pagina di { $n } fasce.
}
figures-as-table = Le cifre in tabella
figures-of = { $title }: cifre
arrow-keys = { $title }: le frecce scorrono le cifre
where-from = Da dove vengono le cifre
each-explained = Ogni cifra spiegata
query = Interrogazione
seen-by = Visto da
more-columns = Altre colonne a destra: scorrere la tabella.
click-figure = Fare clic su una cifra per vedere da dove viene.
click-figure-some = Fare clic su una cifra per vedere da dove viene: la pagina ne spiega { $explained } su { $all }, vembra explain ciascuna delle altre.
page-depth = La pagina scende fino a { $level }: con { $next } avrebbe { $n } righe, e { $most } sono il massimo.
closed-having = Qui le righe non si aprono: having sceglie righe, e con altre righe le cifre sarebbero altre.
closed-figures = Qui le righe non si aprono, perché gli indicatori stanno sulle righe.

# The calendar
date = Data
year = Anno
quarter = Trimestre
month = Mese
week = Settimana
fiscal-year = Esercizio
fiscal-quarter = Trimestre dell’esercizio
fiscal-month = Mese dell’esercizio
quarter-of-year = Trimestre dell’anno
month-of-year = Mese dell’anno
day-of-month = Giorno del mese
day-of-year = Giorno dell’anno
weekday = Giorno della settimana
january = gennaio
february = febbraio
march = marzo
april = aprile
may = maggio
june = giugno
july = luglio
august = agosto
september = settembre
october = ottobre
november = novembre
december = dicembre
monday = lunedì
tuesday = martedì
wednesday = mercoledì
thursday = giovedì
friday = venerdì
saturday = sabato
sunday = domenica
