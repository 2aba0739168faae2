# The words that readers see, in French.

# Numbers
amount = { $number } { $sign }
percent = { $number } %
million = M
billion = Md
trillion = Bn

# Tables
total = Total
none = (sans)
unknown = (inconnu)
figure = Indicateur
value = Valeur
no-value = aucune valeur
no-rows = Aucun enregistrement ne correspond.
rows = { $count ->
    [one] { $n } enregistrement
   *[other] { $n } enregistrements
}
rows-of = { $count ->
    [one] { $shown } sur { $n } enregistrement
   *[other] { $shown } sur { $n } enregistrements
}
figure-by-columns = { $figure } par { $axes } (colonnes)
on-columns = { $axes } en colonnes
part-of-columns = (colonnes, partie { $part } sur { $parts })
lines-drawn = { $drawn } lignes sur { $n } sont dessinées ; une page ou un fichier les montre toutes.
table-of-lines = { $count ->
    [one] Un tableau de { $n } ligne.
   *[other] Un tableau de { $n } lignes.
}

# What marks of figures mean
mark-off-sum = n’est pas la somme des lignes
mark-partial = pour une partie seulement de la période
mark-shared = avec des enregistrements qui relèvent aussi d’un élément affiché
remark-off-sum = ≠ { $figure } : n’est pas la somme des lignes ; { $why }
remark-stacked = ≠ { $figure } : la hauteur n’est pas le total ; { $why }
remark-partial = † { $figure } : pour une partie seulement de la période ; { $lacking } ({ $count ->
    [one] { $n } ligne
   *[other] { $n } lignes
}).
remark-shared = ‡ { $figure } : { $rest } compte { $rows } par un élément affiché.
remark-shared-lines = ‡ { $figure } : { $rest } compte { $rows } par un élément affiché ({ $n } lignes).
shared-rows = { $count ->
    [one] { $n } enregistrement déjà compté
   *[other] { $n } enregistrements déjà comptés
}
shared-rows-between = de { $few } à { $many } enregistrements déjà comptés
remark-none = (sans) : enregistrements qui n’ont pas de valeur à cet endroit.
remark-unknown = (inconnu) : enregistrements dont la clé manque dans la table liée.
lacking-day = le { $last } précède le calendrier
lacking-days = la période du { $first } au { $last } précède le calendrier
lacking-working-days = les jours ouvrés jusqu’au { $last } précèdent le calendrier
why-distinct = dans le total, { $of } compte une fois par valeur, quel que soit le nombre de lignes où elle figure.
why-average-of-rows = le total est calculé sur tous les enregistrements concernés.
why-average = le total est calculé sur chaque valeur de { $of }, une fois chacune.
why-extreme = le total est choisi parmi tous les enregistrements concernés.
why-formula = la formule est calculée à partir des totaux de ses termes.
why-date-range = chaque ligne prend aussi des jours d’autres lignes, ou une partie seulement des siens.
why-forgotten = chaque ligne va au-delà de ses propres enregistrements, si bien que la somme des lignes n’est pas le total.
why-window = la valeur dépend des lignes affichées.
why-bridge = ce qui a plusieurs enregistrements dans { $of } figure sur plusieurs lignes, et une fois dans le total.
why-variant = les totaux ont leur propre formule.
why-elsewhere = certains enregistrements ne figurent sur aucune ligne.
why-blank = { $count ->
    [one] { $n } ligne n’a pas de valeur, car { $term } n’en a pas ; le total contient ce qui lui manque.
   *[other] { $n } lignes n’ont pas de valeur, car { $term } n’en a pas ; le total contient ce qui leur manque.
}

# Pictures
no-values-to-draw = Il n’y a aucune valeur à dessiner.
and-more = et { $n } de plus
largest-size = Taille : { $figure }, au plus { $most }
and-beyond = { $cut } et au-delà, jusqu’à { $most }
the-same = identique
against = { $change } par rapport à { $value }, { $figure }
lines-drawing = Lignes : { $figures } selon { $axis }
areas-drawing = Surfaces : { $figures } selon { $axis }
bars-drawing = Barres : { $figures } selon { $axis }
dots-drawing = Points : { $figures } selon { $axis }
shades-drawing = Grille de nuances : { $figures } selon { $axis }
from-to = de { $first } à { $last }
in-panels = en { $n } panneaux

# Pages
page-of-rows = { $count ->
    [one] Une page de { $n } rangée.
   *[other] Une page de { $n } rangées.
}
figures-as-table = Les chiffres en tableau
figures-of = { $title } : chiffres
arrow-keys = { $title } : les flèches parcourent les chiffres
where-from = D’où viennent les chiffres
each-explained = Chaque chiffre expliqué
query = Requête
seen-by = Vu par
more-columns = D’autres colonnes à droite : faites glisser le tableau.
click-figure = Cliquez sur un chiffre pour voir d’où il vient.
click-figure-some = Cliquez sur un chiffre pour voir d’où il vient : la page en explique { $explained } sur { $all }, vembra explain chacun des autres.
page-depth = La page descend jusqu’à { $level } : avec { $next } elle aurait { $n } lignes, et { $most } sont le maximum.
closed-having = Les lignes ne s’ouvrent pas ici : having choisit des lignes, et avec d’autres lignes les chiffres seraient autres.
closed-figures = Les lignes ne s’ouvrent pas ici, car les indicateurs sont en lignes.

# The calendar
date = Date
year = Année
quarter = Trimestre
month = Mois
week = Semaine
fiscal-year = Exercice
fiscal-quarter = Trimestre de l’exercice
fiscal-month = Mois de l’exercice
quarter-of-year = Trimestre de l’année
month-of-year = Mois de l’année
day-of-month = Jour du mois
day-of-year = Jour de l’année
weekday = Jour de la semaine
january = janvier
february = février
march = mars
april = avril
may = mai
june = juin
july = juillet
august = août
september = septembre
october = octobre
november = novembre
december = décembre
monday = lundi
tuesday = mardi
wednesday = mercredi
thursday = jeudi
friday = vendredi
saturday = samedi
sunday = dimanche
