# The words that readers see, in German.

# Numbers
amount = { $number } { $sign }
percent = { $number } %
million = Mio.
billion = Mrd.
trillion = Bio.

# Tables
total = Gesamt
none = (ohne)
unknown = (unbekannt)
figure = Kennzahl
value = Wert
no-value = kein Wert
no-rows = Keine Datensätze passen.
rows = { $count ->
    [one] 1 Datensatz
   *[other] { $n } Datensätze
}
rows-of = { $count ->
    [one] { $shown } von 1 Datensatz
   *[other] { $shown } von { $n } Datensätzen
}
figure-by-columns = { $figure } nach { $axes } (Spalten)
on-columns = { $axes } in Spalten
part-of-columns = (Spalten, Teil { $part } von { $parts })
lines-drawn = { $drawn } von { $n } Zeilen sind gezeichnet; eine Seite oder eine Datei zeigt alle.
table-of-lines = { $count ->
    [one] Eine Tabelle mit 1 Zeile.
   *[other] Eine Tabelle mit { $n } Zeilen.
}

# What marks of figures mean
mark-off-sum = nicht die Summe der Zeilen
mark-partial = nur für einen Teil des Zeitraums
mark-shared = mit Datensätzen, die auch zu einem gezeigten Eintrag gehören
remark-off-sum = ≠ { $figure }: nicht die Summe der Zeilen; { $why }
remark-stacked = ≠ { $figure }: die Höhe ist nicht die Gesamtsumme; { $why }
remark-partial = † { $figure }: nur für einen Teil des Zeitraums; { $lacking } ({ $count ->
    [one] 1 Zeile
   *[other] { $n } Zeilen
}).
remark-shared = ‡ { $figure }: { $rest } enthält { $rows } bei einem gezeigten Eintrag.
remark-shared-lines = ‡ { $figure }: { $rest } enthält { $rows } bei einem gezeigten Eintrag ({ $n } Zeilen).
shared-rows = { $count ->
    [one] 1 Datensatz, zugleich
   *[other] { $n } Datensätze, zugleich
}
shared-rows-between = { $few } bis { $many } Datensätze, zugleich
remark-none = (ohne): Datensätze, die dort keinen Wert haben.
remark-unknown = (unbekannt): Datensätze, deren Schlüssel in der verknüpften Tabelle fehlt.
lacking-day = { $last } liegt vor dem Kalender
lacking-days = { $first } bis { $last } liegen vor dem Kalender
lacking-working-days = Arbeitstage bis { $last } liegen vor dem Kalender
why-distinct = { $of } zählt in der Gesamtsumme je Wert einmal, auf wie vielen Zeilen er auch steht.
why-average-of-rows = die Gesamtzeile ist über alle Datensätze dahinter gerechnet.
why-average = die Gesamtzeile ist über jeden Wert von { $of } dahinter gerechnet, jeden einmal.
why-extreme = die Gesamtzeile ist aus allen Datensätzen dahinter gewählt.
why-formula = die Formel ist aus den Gesamtwerten ihrer Teile gerechnet.
why-date-range = jede Zeile nimmt auch Tage anderer Zeilen oder eigene Tage nur zum Teil.
why-forgotten = jede Zeile reicht über ihre eigenen Datensätze hinaus, daher ergeben die Zeilen nicht die Gesamtsumme.
why-window = die Kennzahl folgt den gezeigten Zeilen.
why-bridge = was mehrere Datensätze in { $of } hat, steht auf mehreren Zeilen und einmal in der Gesamtsumme.
why-variant = Gesamtzeilen haben eine eigene Formel.
why-elsewhere = einige der Datensätze stehen auf keiner Zeile.
why-blank = { $count ->
    [one] 1 Zeile hat dort keinen Wert, da { $term } keinen hat; die Gesamtsumme enthält, was ihr fehlt.
   *[other] { $n } Zeilen haben dort keinen Wert, da { $term } keinen hat; die Gesamtsumme enthält, was ihnen fehlt.
}

# Pictures
no-values-to-draw = Es gibt keine Werte zu zeichnen.
and-more = und { $n } weitere
largest-size = Größe: { $figure }, höchstens { $most }
and-beyond = { $cut } und darüber hinaus, bis { $most }
the-same = gleich
against = { $change } gegenüber { $value }, { $figure }
lines-drawing = Linien: { $figures } über { $axis }
areas-drawing = Flächen: { $figures } über { $axis }
bars-drawing = Balken: { $figures } über { $axis }
dots-drawing = Punkte: { $figures } über { $axis }
shades-drawing = Felder in Farbstufen: { $figures } über { $axis }
from-to = von { $first } bis { $last }
in-panels = in { $n } Feldern

# Pages
page-of-rows = { $count ->
    [one] Eine Seite mit 1 Reihe.
   *[other] Eine Seite mit { $n } Reihen.
}
figures-as-table = Zahlen als Tabelle
figures-of = { $title }: Zahlen
arrow-keys = { $title }: die Pfeiltasten gehen durch die Zahlen
where-from = Woher die Zahlen kommen
each-explained = Jede Zahl erklärt
query = Abfrage
seen-by = Gesehen von
more-columns = Rechts sind weitere Spalten: die Tabelle seitwärts bewegen.
click-figure = Ein Klick auf eine Zahl zeigt, woher sie kommt.
click-figure-some = Ein Klick auf eine Zahl zeigt, woher sie kommt: die Seite erklärt { $explained } von { $all }, vembra explain jede andere.
page-depth = Die Seite reicht bis { $level }: mit { $next } hätte sie { $n } Zeilen, mehr als { $most } sind nicht möglich.
closed-having = Zeilen lassen sich hier nicht öffnen: having wählt Zeilen aus, und mit anderen Zeilen wären die Zahlen andere.
closed-figures = Zeilen lassen sich hier nicht öffnen, da die Kennzahlen in Zeilen stehen.

# The calendar
date = Datum
year = Jahr
quarter = Quartal
month = Monat
week = Woche
fiscal-year = Geschäftsjahr
fiscal-quarter = Geschäftsquartal
fiscal-month = Geschäftsmonat
quarter-of-year = Quartal im Jahr
month-of-year = Monat im Jahr
day-of-month = Tag im Monat
day-of-year = Tag im Jahr
weekday = Wochentag
january = Januar
february = Februar
march = März
april = April
may = Mai
june = Juni
july = Juli
august = August
september = September
october = Oktober
november = November
december = Dezember
monday = Montag
tuesday = Dienstag
wednesday = Mittwoch
thursday = Donnerstag
friday = Freitag
saturday = Samstag
sunday = Sonntag
