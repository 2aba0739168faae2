# The words that readers see, in Dutch.

# Numbers
amount = { $sign } { $number }
percent = { $number }%
million = mln.
billion = mld.
trillion = bln.

# Tables
total = Totaal
none = (geen)
unknown = (onbekend)
figure = Kengetal
value = Waarde
no-value = geen waarde
no-rows = Er zijn geen passende rijen.
rows = { $count ->
    [one] 1 rij
   *[other] { $n } rijen
}
rows-of = { $count ->
    [one] { $shown } van 1 rij
   *[other] { $shown } van { $n } rijen
}
figure-by-columns = { $figure } per { $axes } (kolommen)
on-columns = { $axes } in kolommen
part-of-columns = (kolommen, deel { $part } van { $parts })
lines-drawn = { $drawn } van { $n } regels zijn getekend; een pagina of een bestand toont ze alle.
table-of-lines = { $count ->
    [one] Een tabel van 1 regel.
   *[other] Een tabel van { $n } regels.
}

# What marks of figures mean
mark-off-sum = niet de som van de regels
mark-partial = slechts over een deel van de periode
mark-shared = met rijen die ook bij een getoond element horen
remark-off-sum = ≠ { $figure }: niet de som van de regels; { $why }
remark-stacked = ≠ { $figure }: de hoogte is niet het totaal; { $why }
remark-partial = † { $figure }: slechts over een deel van de periode; { $lacking } ({ $count ->
    [one] 1 regel
   *[other] { $n } regels
}).
remark-shared = ‡ { $figure }: { $rest } heeft { $rows } bij een getoond element.
remark-shared-lines = ‡ { $figure }: { $rest } heeft { $rows } bij een getoond element ({ $n } regels).
shared-rows = { $count ->
    [one] 1 rij, ook meegeteld
   *[other] { $n } rijen, ook meegeteld
}
shared-rows-between = { $few } tot { $many } rijen, ook meegeteld
remark-none = (geen): rijen die daar geen waarde hebben.
remark-unknown = (onbekend): rijen waarvan de sleutel in de gekoppelde tabel ontbreekt.
lacking-day = { $last } ligt vóór de kalender
lacking-days = { $first } tot en met { $last } ligt vóór de kalender
lacking-working-days = werkdagen tot en met { $last } liggen vóór de kalender
why-distinct = in het totaal telt { $of } één keer per waarde, op hoeveel regels die ook staat.
why-average-of-rows = het totaal is berekend over alle rijen erachter.
why-average = het totaal is berekend over elke waarde van { $of }, elk één keer.
why-extreme = het totaal is gekozen uit alle rijen erachter.
why-formula = de formule is berekend uit de totalen van haar delen.
why-date-range = elke regel neemt ook dagen van andere regels, of slechts een deel van de eigen dagen.
why-forgotten = elke regel reikt verder dan de eigen rijen, dus de regels tellen niet op tot het totaal.
why-window = het getal volgt de getoonde regels.
why-bridge = wat meer rijen in { $of } heeft, staat op meer regels, en één keer in het totaal.
why-variant = totalen hebben een eigen formule.
why-elsewhere = sommige rijen staan op geen enkele regel.
why-blank = { $count ->
    [one] 1 regel heeft daar geen waarde, omdat { $term } er geen heeft; het totaal bevat wat ontbreekt.
   *[other] { $n } regels hebben daar geen waarde, omdat { $term } er geen heeft; het totaal bevat wat ontbreekt.
}

# Pictures
no-values-to-draw = Er zijn geen waarden om te tekenen.
and-more = en nog { $n }
largest-size = Grootte: { $figure }, hoogstens { $most }
and-beyond = { $cut } en verder, tot { $most }
the-same = gelijk
against = { $change } ten opzichte van { $value }, { $figure }
lines-drawing = Lijnen: { $figures } langs { $axis }
areas-drawing = Vlakken: { $figures } langs { $axis }
bars-drawing = Staven: { $figures } langs { $axis }
dots-drawing = Punten: { $figures } langs { $axis }
shades-drawing = Raster van tinten: { $figures } langs { $axis }
from-to = van { $first } tot { $last }
in-panels = in { $n } panelen

# Pages
page-of-rows = { $count ->
    [one] Een pagina van 1 rij.
   *[other] Een pagina van { $n } rijen.
}
figures-as-table = Cijfers als tabel
figures-of = { $title }: cijfers
arrow-keys = { $title }: de pijltoetsen gaan door de cijfers
where-from = Waar de cijfers vandaan komen
each-explained = Elk cijfer uitgelegd
query = Vraag
seen-by = Gezien door
more-columns = Rechts staan meer kolommen: schuif de tabel opzij.
click-figure = Klik op een cijfer om te zien waar het vandaan komt.
click-figure-some = Klik op een cijfer om te zien waar het vandaan komt: de pagina legt { $explained } van { $all } uit, vembra explain elk ander.
page-depth = De pagina gaat tot { $level }: met { $next } zou zij { $n } regels hebben, en { $most } is het maximum.
closed-having = Regels gaan hier niet open: having kiest regels, en met andere regels zouden de cijfers anders zijn.
closed-figures = Regels gaan hier niet open, omdat de kengetallen op regels staan.

# The calendar
date = Datum
year = Jaar
quarter = Kwartaal
month = Maand
week = Week
fiscal-year = Boekjaar
fiscal-quarter = Boekkwartaal
fiscal-month = Boekmaand
quarter-of-year = Kwartaal van het jaar
month-of-year = Maand van het jaar
day-of-month = Dag van de maand
day-of-year = Dag van het jaar
weekday = Weekdag
january = januari
february = februari
march = maart
april = april
may = mei
june = juni
july = juli
august = augustus
september = september
october = oktober
november = november
december = december
monday = maandag
tuesday = dinsdag
wednesday = woensdag
thursday = donderdag
friday = vrijdag
saturday = zaterdag
sunday = zondag
