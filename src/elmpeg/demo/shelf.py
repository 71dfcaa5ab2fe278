"""What lies on the demo shop's shelf, in metric and inch sizes."""

from elmpeg.core.shelf import StockItem

SHELF: tuple[StockItem, ...] = (
    StockItem("shim-05", "Shim 0.5 mm, 13 bore", "shim", 0.5, 13.0, 6, "drawer 1"),
    StockItem("washer-25", "Washer 2.5 mm, 13 bore", "washer", 2.5, 13.0, 10, "drawer 1"),
    StockItem("plate-4", "Plate 4 mm, 13 hole", "plate", 4.0, 13.0, 4, "rack A"),
    StockItem("plate-6", "Plate 6 mm, 13 hole", "plate", 6.0, 13.0, 4, "rack A"),
    StockItem("plate-12", "Plate 12 mm, 13 hole", "plate", 12.0, 13.0, 4, "rack A"),
    StockItem("tube-25", "Spacer tube 25 mm, 13 bore", "tube", 25.0, 13.0, 3, "bin 4"),
    StockItem("block-28", "Spacer block 28 mm, 13 bore", "spacer", 28.0, 13.0, 2, "bin 4"),
    StockItem("block-38", "Spacer block 1 1/2 in, 1/2 bore", "spacer", 38.1, 13.5, 2, "bin 5"),
    StockItem("tube-8-25", "Spacer tube 25 mm, 8.5 bore", "tube", 25.0, 8.5, 2, "bin 2"),
    StockItem("spacer-8-10", "Spacer 10 mm, 8.5 bore", "spacer", 10.0, 8.5, 4, "bin 2"),
    StockItem("plate-8-5", "Plate 5 mm, 9 hole", "plate", 5.0, 9.0, 2, "rack A"),
    StockItem("washer-8-16", "Washer 1.6 mm, 8.4 bore", "washer", 1.6, 8.4, 1, "drawer 2"),
    StockItem("washer-10-2", "Washer 2 mm, 10.5 bore", "washer", 2.0, 10.5, 20, "drawer 2"),
    StockItem("spacer-10-20", "Spacer 20 mm, 10.5 bore", "spacer", 20.0, 10.5, 8, "bin 3"),
    StockItem("spacer-16-30", "Spacer 30 mm, 17 bore", "spacer", 30.0, 17.0, 4, "bin 6"),
    StockItem("plate-16-10", "Plate 10 mm, 17 hole", "plate", 10.0, 17.0, 6, "rack B"),
)
