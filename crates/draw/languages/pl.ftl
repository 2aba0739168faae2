# The words that readers see, in Polish.

# Numbers
amount = { $number } { $sign }
percent = { $number }%
million = mln
billion = mld
trillion = bln

# Tables
total = Razem
none = (brak)
unknown = (nieznane)
figure = Wskaźnik
value = Wartość
no-value = brak wartości
no-rows = Brak pasujących rekordów.
rows = { $count ->
    [one] 1 rekord
    [few] { $n } rekordy
   *[many] { $n } rekordów
}
rows-of = { $count ->
    [one] { $shown } z 1 rekordu
    [few] { $shown } z { $n } rekordów
   *[many] { $shown } z { $n } rekordów
}
figure-by-columns = { $figure } według { $axes } (kolumny)
on-columns = { $axes } w kolumnach
part-of-columns = (kolumny, część { $part } z { $parts })
lines-drawn = Narysowano { $drawn } z { $n } wierszy; strona lub plik pokazuje wszystkie.
table-of-lines = { $count ->
    [one] Tabela, 1 wiersz.
    [few] Tabela, { $n } wiersze.
   *[many] Tabela, { $n } wierszy.
}

# What marks of figures mean
mark-off-sum = nie jest sumą wierszy
mark-partial = tylko dla części okresu
mark-shared = z rekordami, które należą także do pokazanego elementu
remark-off-sum = ≠ { $figure }: nie jest sumą wierszy; { $why }
remark-stacked = ≠ { $figure }: wysokość nie jest sumą; { $why }
remark-partial = † { $figure }: tylko dla części okresu; { $lacking } ({ $count ->
    [one] 1 wiersz
    [few] { $n } wiersze
   *[many] { $n } wierszy
}).
remark-shared = ‡ { $figure }: { $rest } ma { $rows } do pokazanego elementu.
remark-shared-lines = ‡ { $figure }: { $rest } ma { $rows } do pokazanego elementu (wiersze: { $n }).
shared-rows = { $count ->
    [one] 1 rekord, który należy także
    [few] { $n } rekordy, które należą także
   *[many] { $n } rekordów, które należą także
}
shared-rows-between = od { $few } do { $many } rekordów, które należą także
remark-none = (brak): rekordy, które nie mają tam wartości.
remark-unknown = (nieznane): rekordy, których klucza brak w powiązanej tabeli.
lacking-day = { $last } poprzedza kalendarz
lacking-days = okres od { $first } do { $last } poprzedza kalendarz
lacking-working-days = dni robocze do { $last } poprzedzają kalendarz
why-distinct = w podsumowaniu { $of } liczy się raz na wartość, w ilu wierszach by nie występowała.
why-average-of-rows = podsumowanie obliczono ze wszystkich rekordów.
why-average = podsumowanie obliczono z każdej wartości { $of }, po jednym razie.
why-extreme = podsumowanie wybrano spośród wszystkich rekordów.
why-formula = wzór obliczono z podsumowań jego części.
why-date-range = każdy wiersz bierze też dni innych wierszy albo tylko część własnych.
why-forgotten = każdy wiersz sięga poza własne rekordy, więc wiersze nie dają w sumie podsumowania.
why-window = wartość zależy od pokazanych wierszy.
why-bridge = to, co ma kilka rekordów w { $of }, stoi w kilku wierszach, a w podsumowaniu raz.
why-variant = podsumowania mają własny wzór.
why-elsewhere = niektórych rekordów nie ma w żadnym wierszu.
why-blank = { $count ->
    [one] 1 wiersz nie ma tam wartości, bo { $term } jej nie ma; podsumowanie zawiera to, czego mu brak.
    [few] { $n } wiersze nie mają tam wartości, bo { $term } jej nie ma; podsumowanie zawiera to, czego im brak.
   *[many] { $n } wierszy nie ma tam wartości, bo { $term } jej nie ma; podsumowanie zawiera to, czego im brak.
}

# Pictures
no-values-to-draw = Nie ma wartości do narysowania.
and-more = i jeszcze { $n }
largest-size = Rozmiar: { $figure }, najwyżej { $most }
and-beyond = { $cut } i dalej, do { $most }
the-same = bez zmian
against = { $change } wobec { $value }, { $figure }
lines-drawing = Linie: { $figures } według { $axis }
areas-drawing = Pola: { $figures } według { $axis }
bars-drawing = Słupki: { $figures } według { $axis }
dots-drawing = Punkty: { $figures } według { $axis }
shades-drawing = Siatka odcieni: { $figures } według { $axis }
from-to = od { $first } do { $last }
in-panels = w panelach: { $n }

# Pages
page-of-rows = { $count ->
    [one] Strona, 1 rząd.
    [few] Strona, { $n } rzędy.
   *[many] Strona, { $n } rzędów.
}
figures-as-table = Liczby jako tabela
figures-of = { $title }: liczby
arrow-keys = { $title }: strzałki przechodzą przez liczby
where-from = Skąd pochodzą liczby
each-explained = Każda liczba wyjaśniona
query = Zapytanie
seen-by = Widziane przez
more-columns = Po prawej są dalsze kolumny: przesuń tabelę.
click-figure = Kliknij liczbę, aby zobaczyć, skąd pochodzi.
click-figure-some = Kliknij liczbę, aby zobaczyć, skąd pochodzi: strona wyjaśnia { $explained } z { $all }, vembra explain każdą inną.
page-depth = Strona sięga do: { $level }. Z { $next } miałaby { $n } wierszy, a najwięcej to { $most }.
closed-having = Wiersze się tu nie otwierają: having wybiera wiersze, a z innymi wierszami liczby byłyby inne.
closed-figures = Wiersze się tu nie otwierają, bo wskaźniki stoją w wierszach.

# The calendar
date = Data
year = Rok
quarter = Kwartał
month = Miesiąc
week = Tydzień
fiscal-year = Rok obrotowy
fiscal-quarter = Kwartał obrotowy
fiscal-month = Miesiąc obrotowy
quarter-of-year = Kwartał roku
month-of-year = Miesiąc roku
day-of-month = Dzień miesiąca
day-of-year = Dzień roku
weekday = Dzień tygodnia
january = styczeń
february = luty
march = marzec
april = kwiecień
may = maj
june = czerwiec
july = lipiec
august = sierpień
september = wrzesień
october = październik
november = listopad
december = grudzień
monday = poniedziałek
tuesday = wtorek
wednesday = środa
thursday = czwartek
friday = piątek
saturday = sobota
sunday = niedziela
