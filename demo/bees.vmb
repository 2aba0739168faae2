-- Marrowfield Apiary Supply: orders of beekeeping goods.
-- One fact, four dimensions; the calendar is linked three times.

currency 'EUR'

calendar from '2023-01-01' to '2025-12-31'
    fiscal year starts october

dimension product from 'product.csv' key sku
dimension customer from 'customer.csv' key code
dimension order_time from 'order_time.csv' key order_no
fact order_line from 'order_line.csv'
fact target from 'target.csv'
fact stock from 'stock.csv'

-- What leads where. Orders count by the day of the order unless a question says otherwise.
link order_line.sku to product
link order_line.customer_code to customer
link order_line.order_no to order_time
link order_line.ordered_on to calendar as ordered default
link order_line.shipped_on to calendar as shipped
link order_line.due_on to calendar as due

link target.month to calendar by month as ordered default
link target.region to customer by region
link stock.sku to product
link stock.counted_on to calendar as counted

hierarchy product.range = category, family, name
hierarchy calendar.days = year, quarter, month, date

-- Columns.
column customer.code: text
    about 'A number on paper, a text here: 00417 is not 417.'
column order_line.customer_code: text
column customer.segment
    about 'Who buys: bee clubs, farms, or shops that sell on.'
    order 'Club', 'Farm', 'Shop'
column customer.region
    about 'Where the customer is. One customer has none yet.'
    order 'Northmoor', 'Eastfen', 'Southmere', 'Westholt'

column order_line.net = quantity * unit_price * (1 - discount)
    label 'Net'
    format '¤#,##0.00'
    about 'Value of the line after its discount, before freight.'
column order_line.cost = quantity * unit_cost
    label 'Cost'
    format '¤#,##0.00'
column order_line.profit = net - cost
    label 'Profit'
    format '¤#,##0.00'
    about 'What is left of the line after the cost of the goods.'
column order_line.placed_at = ordered_on + placed_time
    about 'Day and time of the order; the time has its own file.'
column order_line.days_to_ship = shipped_on - ordered_on
    about 'Days from order to shipping; none while not shipped.'
column order_line.size = band(quantity, 1, 3, 6, 12)
    label 'Line size'

-- Columns with a fixed detail: the same whatever a question filters or splits by.
column order_line.order_result = (sum(profit) for each order_no) > 0
    labels true 'Profitable', false 'Loss-making'
    order 'Profitable', 'Loss-making'
    about 'Whether the whole order of the line brought a profit.'
column order_line.lines_of_order = count(rows of order_line) for each order_no
    about 'How many lines the order of this line has.'
column customer.first_order = min(ordered_on) for each customer.code
    about 'Day of the first order; none for who never ordered.'
column customer.second_order = min(ordered_on where ordered_on > (min(ordered_on) for each customer.code)) for each customer.code
    about 'The earliest day later than the first.'
column customer.last_order = max(ordered_on) for each customer.code
column customer.lifetime = sum(net) for each customer.code
    format '¤#,##0'
column customer.worth = band(lifetime, 0, 5000, 20000, 50000)
    about 'Customers in bands of their revenue over all time.'

-- The day of the first order is one more date of a customer.
link customer.first_order to calendar as first_ordered

-- Measures.
measure revenue = sum(net)
    label 'Revenue'
    format '¤#,##0'
    about 'Net value of order lines. By order date unless a question says via.'
measure revenue_shipped = revenue via shipped
    label 'Revenue shipped'
    about 'Revenue by the day of shipping.'
measure gross_profit = sum(profit)
    label 'Profit'
    format '¤#,##0'
measure margin = gross_profit / revenue
    label 'Margin'
    format '0.0%'
measure units = sum(quantity)
    label 'Units'
    format '#,##0'
measure lines = count(rows of order_line)
    label 'Lines'
    format '#,##0'
measure orders = count(distinct order_no)
    label 'Orders'
    format '#,##0'
measure buyers = count(distinct customer_code)
    label 'Buyers'
    format '#,##0'
    about 'Different customers with an order.'
measure big_orders_net = sum(net where quantity >= 10)
    label 'Revenue in lines of ten or more'
    format '¤#,##0'
measure late_lines = count(rows of order_line where shipped_on > due_on)
    label 'Lines shipped late'
    format '#,##0'
measure mean_days_to_ship = avg(days_to_ship)
    label 'Mean days to ship'
    format '0.0'
measure average_order = avg(revenue for each order_no)
    label 'Average order'
    format '¤#,##0.00'
    about 'Mean over the orders of what the question takes of each: by category, the part of each order in it.'
measure average_whole_order = avg((revenue regardless of product) for each order_no)
    label 'Average whole order'
    format '¤#,##0.00'
    about 'Mean over the orders of their whole value, whatever of them the question takes.'
measure orders_above_average = count((revenue for each order_no) where (revenue for each order_no) > (average_order
    for all))
    label 'Orders above the average'
    format '#,##0'
measure long_orders = count(distinct order_no where lines_of_order >= 3)
    label 'Orders of three lines or more'
    format '#,##0'
measure revenue_to_date = revenue during year to date
    label 'Revenue, year to date'
    about 'From the start of the year to the end of the line, but not past the last order.'
measure revenue_year_before = revenue during 1 year earlier
    label 'Revenue a year earlier'
measure growth = (revenue - (revenue during 1 year earlier matched)) / (revenue during 1 year earlier matched)
    label 'Growth on the year before'
    format '0.0%'
    about 'Against the same days a year earlier, as far as there are orders.'
measure mean_of_three_months = avg((revenue for each calendar.month) during last 3 months)
    label 'Mean of three months'
    format '¤#,##0'
measure share_of_all = share(revenue among all)
    label 'Share of what is shown'
    format '0.0%'
measure share_of_everything = revenue / (revenue for all)
    label 'Share of everything'
    format '0.0%'
measure money_then_share = revenue
    label 'Revenue, share on subtotals'
    format '¤#,##0'
    subtotal = share(revenue among all)
        format '0.0%'
    total = revenue
        format '¤#,##0'
measure customers_lost = count(rows of customer where last_order < start_of(year, :as_of))
    label 'Customers lost'
    format '#,##0'
    about 'Whose last order lies before the year of the day :as_of.'
measure new_buyers = count(distinct customer_code where customer.first_order between cell_start(calendar) and cell_end(calendar))
    label 'New buyers'
    format '#,##0'
    about 'Buyers whose first order lies in the days of the line.'
measure customer_revenue = sum(customer.lifetime)
    label 'Revenue over all time'
    format '¤#,##0'
measure target_amount = sum(amount)
    label 'Target'
    format '¤#,##0'
measure target_reached = revenue / target_amount
    label 'Of target'
    format '0.0%'
measure on_hand_last = sum((last(on_hand by counted_on)) for each stock.sku)
    label 'Stock at last count'
    format '#,##0'
    about 'Of each product the last count in the days of the line, added up: never a sum over weeks.'

-- What a question may choose.
param as_of: date default '2025-06-30'
    about 'The day that customers are looked at from.'
param focus_year: integer default 2025
    about 'Year'
param split: one of calendar.weekday, calendar.day_of_month default calendar.weekday
    about 'Days by'

-- Who sees what.
viewer north_desk sees only customer.region = 'Northmoor'

-- Tables made from questions.
derived january =
    list order_no, ordered_on, customer_code, net
    from order_line
    where ordered.date between '2025-01-01' and '2025-01-31'
derived customer_span key code =
    rows customer.code, customer.name
    show min(ordered_on) as first_day, max(ordered_on) as last_day, max(ordered_on) - min(ordered_on) as span

-- Reports: questions with a way to be drawn.
report revenue_two_dates 'Revenue by the month of the order and of shipping' =
    rows calendar.month
    show revenue as ordered, (revenue via shipped) as shipped
    where calendar.year between 2024 and 2025
  drawn as line along calendar.month
    pointer orders as "Orders"

report revenue_to_date_against 'Revenue of :focus_year to date, and a year before' =
    rows calendar.month
    show revenue as "Month", (revenue during year to date) as "Year to date", ((revenue during 1 year earlier)
        during year to date) as "Year before, to date"
    where calendar.year = :focus_year
  drawn as line along calendar.month
    colours 'Month' grey, 'Year to date' blue, 'Year before, to date' sky
    switch focus_year 2024, 2025

report profit_by_category 'Revenue in profitable and in loss-making orders, by category' =
    rows calendar.month, order_line.order_result, product.category
    show revenue
    where product.category is not null
  drawn as area along calendar.month colour by order_line.order_result stacked
    colours 'Profitable' blue, 'Loss-making' orange
    panels by product.category, 2 across
    axis titles off

report profit_by_segment 'Revenue in profitable and in loss-making orders, by segment' =
    rows calendar.month, order_line.order_result, customer.segment
    show revenue
  drawn as area along calendar.month colour by order_line.order_result stacked
    colours 'Profitable' blue, 'Loss-making' orange
    panels by customer.segment, 3 across
    axis titles off

report orders_by_hour 'When orders are placed in :focus_year' =
    rows calendar.month_of_year, :split as day, extract(hour from placed_at) as hour
    show orders
    where calendar.year = :focus_year
  drawn as dots along hour up day size by orders
    panels by calendar.month_of_year, 3 across
    switch split
    about 'One panel a month; the more orders in an hour, the larger its dot.'

report lost_card 'Customers lost by :as_of' =
    show customers_lost, count(rows of customer where first_order <= :as_of) as "customers who had ordered by then"
  drawn as card
    about 'Whose last order lies before the year of that day.'

report lost_customers 'The customers behind it' =
    rows customer.name, customer.segment, customer.last_order
    show customer_revenue
    where customer.last_order < start_of(year, :as_of)
    sort customer_revenue descending
  drawn as table
    small bars customer_revenue

report year_against_last 'Revenue of the quarters against the year before' =
    rows calendar.quarter_of_year
    columns calendar.year
    show revenue
  drawn as bars along calendar.quarter_of_year colour by calendar.year with values

report category_shares 'Money on lines, shares on subtotals' =
    rows product.category, product.family
    show money_then_share, margin
    where calendar.year = :focus_year and product.category is not null
    totals on rows
  drawn as table
    small bars money_then_share
    mark 'Margin below 31%' where margin < 0.31

report order_to_ship 'From the month of the order to the month of shipping' =
    rows ordered.month
    columns shipped.month
    show units
    where ordered.date between '2025-01-01' and '2025-12-31'
  drawn as heat along shipped.month up ordered.month colour by units with values
    about 'Units; the diagonal ships in the month of the order. What is not shipped yet stands under (none).'

report best_products 'The ten products with the most revenue in :focus_year' =
    rows product.name
    show revenue
    where calendar.year = :focus_year
    top 10 product.name by revenue
    sort revenue descending
  drawn as bars along product.name sideways with values
    axis titles off
    pointer units, margin
    mark 'Margin below 30%' where margin < 0.3

report revenue_card 'Revenue of :focus_year' =
    show revenue, (revenue during 1 year earlier matched) as "the same days a year earlier"
    where calendar.year = :focus_year
  drawn as card
    compared with "the same days a year earlier"

report segments_trend 'Revenue by region and quarter' =
    rows customer.region
    columns calendar.quarter
    show revenue
    where calendar.year = :focus_year
    totals on rows, on columns
  drawn as table trends

dashboard overview 'Marrowfield at a glance' 1280 by 2500
    about 'Orders, shipping and customers of a wholesaler of beekeeping goods. All of it is invented.'
    switch split
    switch focus_year 2024, 2025
    strip 1.6: revenue_card, lost_card,
        'Revenue counts by the day of the order unless a title says otherwise.' 'Shipping follows after up to twenty days. What is not shipped yet stands under (none), so that totals tie.'
    strip 3: revenue_two_dates 3, year_against_last 2
    strip 3: revenue_to_date_against, best_products
    strip 3.6: profit_by_category, profit_by_segment
    strip 5: orders_by_hour 3, order_to_ship 2
    strip 3: category_shares, segments_trend
    strip 3: lost_customers

-- Known figures and rules, checked by vembra check.
expect 'nobody is counted twice' for each calendar.month: buyers <= orders
expect 'every order is long or short': long_orders <= orders
expect 'due as column equals due as default': (rows calendar.year show (revenue via due) as r) matches (rows calendar.year show revenue as r
    via due)
expect 'the whole revenue': revenue = 8083124.2083
expect 'the north desk sees the north only' seen by north_desk: revenue = (revenue where customer.region = 'Northmoor')
