-- Marrowfield Apiary Supply: orders of beekeeping goods.
-- One fact, four dimensions; the calendar is linked three times.

currency 'EUR'

calendar from '2023-01-01' to '2025-12-31'
    fiscal year starts october

dimension product    from 'product.csv'    key sku
dimension customer   from 'customer.csv'   key code
dimension order_time from 'order_time.csv' key order_no
fact      order_line from 'order_line.csv'
fact      target     from 'target.csv'
fact      stock      from 'stock.csv'

-- What leads where. Orders count by the day of the order unless a question says otherwise.
link order_line.sku           to product
link order_line.customer_code to customer
link order_line.order_no      to order_time
link order_line.ordered_on    to calendar as ordered default
link order_line.shipped_on    to calendar as shipped
link order_line.due_on        to calendar as due

link target.month             to calendar by month as ordered default
link target.region            to customer by region
link stock.sku                to product
link stock.counted_on         to calendar as counted

hierarchy product.range  = category, family, name
hierarchy calendar.days  = year, quarter, month, date

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
    label  'Net'
    format '¤#,##0.00'
    about  'Value of the line after its discount, before freight.'
column order_line.cost = quantity * unit_cost
    label  'Cost'
    format '¤#,##0.00'
column order_line.profit = net - cost
    label  'Profit'
    format '¤#,##0.00'
    about  'What is left of the line after the cost of the goods.'
column order_line.placed_at = ordered_on + placed_time
    about  'Day and time of the order; the time has its own file.'
column order_line.days_to_ship = shipped_on - ordered_on
    about  'Days from order to shipping; none while not shipped.'
column order_line.size = band(quantity, 1, 3, 6, 12)
    label  'Line size'

-- Measures.
measure revenue = sum(net)
    label  'Revenue'
    format '¤#,##0'
    about  'Net value of order lines. By order date unless a question says via.'
measure revenue_shipped = revenue via shipped
    label  'Revenue shipped'
    about  'Revenue by the day of shipping.'
measure gross_profit = sum(profit)
    label  'Profit'
    format '¤#,##0'
measure margin = gross_profit / revenue
    label  'Margin'
    format '0.0%'
measure units = sum(quantity)
    label  'Units'
    format '#,##0'
measure lines = count(rows of order_line)
    label  'Lines'
    format '#,##0'
measure orders = count(distinct order_line.order_no)
    label  'Orders'
    format '#,##0'
measure buyers = count(distinct customer_code)
    label  'Buyers'
    format '#,##0'
    about  'Different customers with an order.'
measure big_orders_net = sum(net where quantity >= 10)
    label  'Revenue in lines of ten or more'
    format '¤#,##0'
measure late_lines = count(rows of order_line where shipped_on > due_on)
    label  'Lines shipped late'
    format '#,##0'
measure mean_days_to_ship = avg(days_to_ship)
    label  'Mean days to ship'
    format '0.0'
measure target_amount = sum(amount)
    label  'Target'
    format '¤#,##0'
measure on_hand_last = last(on_hand by counted_on)
    label  'Stock at last count'
    format '#,##0'
