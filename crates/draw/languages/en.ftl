# The words that readers see, in English. A further language is a further file: see CONTRIBUTING.md.
# $count is a number that plurals follow, $n the same as readers write it.

# Numbers
amount = { $sign }{ $number }
percent = { $number }%
million = M
billion = bn
trillion = T

# Tables
total = Total
none = (none)
unknown = (unknown)
figure = Figure
value = Value
no-value = no value
no-rows = No rows match.
rows = { $count ->
    [one] 1 row
   *[other] { $n } rows
}
rows-of = { $count ->
    [one] { $shown } of 1 row
   *[other] { $shown } of { $n } rows
}
figure-by-columns = { $figure } by { $axes } (columns)
on-columns = { $axes } on columns
part-of-columns = (columns, part { $part } of { $parts })
lines-drawn = { $drawn } of { $n } lines are drawn; a page or a file shows all.
table-of-lines = { $count ->
    [one] A table of 1 line.
   *[other] A table of { $n } lines.
}

# What marks of figures mean
mark-off-sum = not the sum of its lines
mark-partial = of a part of the date range only
mark-shared = with rows that also belong to a member shown
remark-off-sum = ≠ { $figure }: not the sum of the lines; { $why }
remark-stacked = ≠ { $figure }: the height is not the total; { $why }
remark-partial = † { $figure }: of a part of its date range only; { $lacking } ({ $count ->
    [one] 1 line
   *[other] { $n } lines
}).
remark-shared = ‡ { $figure }: { $rest } has { $rows } to a member shown.
remark-shared-lines = ‡ { $figure }: { $rest } has { $rows } to a member shown ({ $n } lines).
shared-rows = { $count ->
    [one] 1 row that also belongs
   *[other] { $n } rows that also belong
}
shared-rows-between = { $few } to { $many } rows that also belong
remark-none = (none): rows that have no value there.
remark-unknown = (unknown): rows whose key is in no row of the linked table.
lacking-day = { $last } lies before the calendar
lacking-days = { $first } to { $last } lie before the calendar
lacking-working-days = working days up to { $last } lie before the calendar
why-distinct = each { $of } counts once in the total, on however many lines it stands.
why-average-of-rows = the total is worked out over all rows behind it.
why-average = the total is worked out over every { $of } behind it, each once.
why-extreme = the total is chosen among all rows behind it.
why-formula = the formula is worked out from the totals of its parts.
why-date-range = each line takes days of other lines too, or days of its own only in part.
why-forgotten = each line reaches beyond its own rows, so the lines do not add up to the total.
why-window = the figure follows the lines shown.
why-bridge = what has several rows of { $of } stands on several lines, and once in the total.
why-variant = totals have a formula of their own.
why-elsewhere = some of its rows stand on no line.
why-blank = { $count ->
    [one] 1 line has no value there, since { $term } has none; the total has what it lacks.
   *[other] { $n } lines have no value there, since { $term } has none; the total has what they lack.
}

# Pictures
no-values-to-draw = There are no values to draw.
and-more = and { $n } more
largest-size = Size: { $figure }, largest { $most }
and-beyond = { $cut } and beyond, to { $most }
the-same = the same
against = { $change } against { $value }, { $figure }
lines-drawing = Lines of { $figures } along { $axis }
areas-drawing = Areas of { $figures } along { $axis }
bars-drawing = Bars of { $figures } along { $axis }
dots-drawing = Dots of { $figures } along { $axis }
shades-drawing = A field of shades of { $figures } along { $axis }
from-to = from { $first } to { $last }
in-panels = in { $n } panels

# Pages
page-of-rows = { $count ->
    [one] A page of 1 row.
   *[other] A page of { $n } rows.
}
figures-as-table = Figures as a table
figures-of = { $title }: figures
arrow-keys = { $title }: arrow keys go through the figures
where-from = Where figures come from
each-explained = Each figure explained
query = Query
seen-by = Seen by
more-columns = More columns to the right: move the table sideways.
click-figure = Click a figure to see where it comes from.
click-figure-some = Click a figure to see where it comes from: the page explains { $explained } of { $all }, vembra explain each of the others.
page-depth = The page goes down to { $level }: with { $next } it would have { $n } lines, and { $most } are the most.
closed-having = Rows do not open here: having chooses lines, and with other lines the figures would be others.
closed-figures = Rows do not open here, since figures stand on rows.

# The calendar
date = Date
year = Year
quarter = Quarter
month = Month
week = Week
fiscal-year = Fiscal year
fiscal-quarter = Fiscal quarter
fiscal-month = Fiscal month
quarter-of-year = Quarter of year
month-of-year = Month of year
day-of-month = Day of month
day-of-year = Day of year
weekday = Weekday
january = January
february = February
march = March
april = April
may = May
june = June
july = July
august = August
september = September
october = October
november = November
december = December
monday = Monday
tuesday = Tuesday
wednesday = Wednesday
thursday = Thursday
friday = Friday
saturday = Saturday
sunday = Sunday
