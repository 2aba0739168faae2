# The words that readers see, in Spanish.

# Numbers
amount = { $number } { $sign }
percent = { $number } %
million = M
billion = mil M
trillion = B

# Tables
total = Total
none = (sin valor)
unknown = (desconocido)
figure = Indicador
value = Valor
no-value = sin valor
no-rows = Ningún registro coincide.
rows = { $count ->
    [one] 1 registro
   *[other] { $n } registros
}
rows-of = { $count ->
    [one] { $shown } de 1 registro
   *[other] { $shown } de { $n } registros
}
figure-by-columns = { $figure } por { $axes } (columnas)
on-columns = { $axes } en columnas
part-of-columns = (columnas, parte { $part } de { $parts })
lines-drawn = Se dibujan { $drawn } de { $n } filas; una página o un archivo las muestra todas.
table-of-lines = { $count ->
    [one] Una tabla de 1 fila.
   *[other] Una tabla de { $n } filas.
}

# What marks of figures mean
mark-off-sum = no es la suma de sus filas
mark-partial = solo de una parte del período
mark-shared = con registros que también pertenecen a un elemento mostrado
remark-off-sum = ≠ { $figure }: no es la suma de las filas; { $why }
remark-stacked = ≠ { $figure }: la altura no es el total; { $why }
remark-partial = † { $figure }: solo de una parte de su período; { $lacking } ({ $count ->
    [one] 1 fila
   *[other] { $n } filas
}).
remark-shared = ‡ { $figure }: { $rest } tiene { $rows } a un elemento mostrado.
remark-shared-lines = ‡ { $figure }: { $rest } tiene { $rows } a un elemento mostrado ({ $n } filas).
shared-rows = { $count ->
    [one] 1 registro que también pertenece
   *[other] { $n } registros que también pertenecen
}
shared-rows-between = de { $few } a { $many } registros que también pertenecen
remark-none = (sin valor): registros que no tienen valor ahí.
remark-unknown = (desconocido): registros cuya clave falta en la tabla enlazada.
lacking-day = { $last } es anterior al calendario
lacking-days = del { $first } al { $last } es anterior al calendario
lacking-working-days = los días laborables hasta { $last } son anteriores al calendario
why-distinct = en el total, { $of } cuenta una vez por valor, por muchas filas en que esté.
why-average-of-rows = el total se calcula sobre todos los registros que lo componen.
why-average = el total se calcula sobre cada valor de { $of }, una vez cada uno.
why-extreme = el total se elige entre todos los registros que lo componen.
why-formula = la fórmula se calcula con los totales de sus partes.
why-date-range = cada fila toma también días de otras filas, o solo una parte de los suyos.
why-forgotten = cada fila va más allá de sus propios registros, por lo que las filas no suman el total.
why-window = la cifra depende de las filas mostradas.
why-bridge = lo que tiene varios registros en { $of } está en varias filas, y una vez en el total.
why-variant = los totales tienen su propia fórmula.
why-elsewhere = algunos de sus registros no están en ninguna fila.
why-blank = { $count ->
    [one] 1 fila no tiene valor, porque { $term } no lo tiene; el total contiene lo que le falta.
   *[other] { $n } filas no tienen valor, porque { $term } no lo tiene; el total contiene lo que les falta.
}

# Pictures
no-values-to-draw = No hay valores que dibujar.
and-more = y { $n } más
largest-size = Tamaño: { $figure }, como máximo { $most }
and-beyond = { $cut } y más allá, hasta { $most }
the-same = igual
against = { $change } frente a { $value }, { $figure }
lines-drawing = Líneas: { $figures } según { $axis }
areas-drawing = Áreas: { $figures } según { $axis }
bars-drawing = Barras: { $figures } según { $axis }
dots-drawing = Puntos: { $figures } según { $axis }
shades-drawing = Cuadrícula de tonos: { $figures } según { $axis }
from-to = de { $first } a { $last }
in-panels = en { $n } paneles

# Pages
page-of-rows = { $count ->
    [one] Una página de 1 franja.
   *[other] Una página de { $n } franjas.
}
figures-as-table = Cifras en una tabla
figures-of = { $title }: cifras
arrow-keys = { $title }: las flechas recorren las cifras
where-from = De dónde vienen las cifras
each-explained = Cada cifra explicada
query = Consulta
seen-by = Visto por
more-columns = Hay más columnas a la derecha: desplace la tabla.
click-figure = Pulse una cifra para ver de dónde viene.
click-figure-some = Pulse una cifra para ver de dónde viene: la página explica { $explained } de { $all }, vembra explain cada una de las demás.
page-depth = La página llega hasta { $level }: con { $next } tendría { $n } filas, y { $most } son el máximo.
closed-having = Aquí las filas no se abren: having elige filas, y con otras filas las cifras serían otras.
closed-figures = Aquí las filas no se abren, porque los indicadores están en filas.

# The calendar
date = Fecha
year = Año
quarter = Trimestre
month = Mes
week = Semana
fiscal-year = Ejercicio
fiscal-quarter = Trimestre del ejercicio
fiscal-month = Mes del ejercicio
quarter-of-year = Trimestre del año
month-of-year = Mes del año
day-of-month = Día del mes
day-of-year = Día del año
weekday = Día de la semana
january = enero
february = febrero
march = marzo
april = abril
may = mayo
june = junio
july = julio
august = agosto
september = septiembre
october = octubre
november = noviembre
december = diciembre
monday = lunes
tuesday = martes
wednesday = miércoles
thursday = jueves
friday = viernes
saturday = sábado
sunday = domingo
