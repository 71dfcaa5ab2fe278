"""What lies on the demo shop's shelf, in metric and inch sizes."""

from elmpeg.core.stages.mount.shelf import StockItem

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
    *(
        StockItem(f"bolt-m8-{k}", f"Bolt M8 x {k}, 8.8", "bolt", float(k), 0.0, n, "drawer 5", thread="M8x1.25")
        for k, n in ((25, 20), (30, 14), (35, 8), (50, 6))
    ),
    *(
        StockItem(f"bolt-m10-{k}", f"Bolt M10 x {k}, 8.8", "bolt", float(k), 0.0, n, "drawer 6", thread="M10x1.5")
        for k, n in ((35, 12), (45, 9))
    ),
    *(
        StockItem(f"bolt-m12-{k}", f"Bolt M12 x {k}, 8.8", "bolt", float(k), 0.0, n, "drawer 7", thread="M12x1.75")
        for k, n in ((70, 6), (75, 4), (110, 1))
    ),
    StockItem("bolt-half-2", "Bolt 1/2-13 x 2 in", "bolt", 50.8, 0.0, 5, "drawer 8", thread="1/2-13 UNC"),
    StockItem("nut-m8", "Locking nut M8", "nut", 9.5, 0.0, 40, "drawer 5", thread="M8x1.25"),
    StockItem("nut-m12", "Locking nut M12", "nut", 14.9, 0.0, 12, "drawer 7", thread="M12x1.75"),
    StockItem("tube-48-3", "Tube 48 x 3", "tube", 820.0, 42.0, 1, "rack C", outside_mm=48.0),
    StockItem("tube-48-3-short", "Tube 48 x 3, offcut", "tube", 330.0, 42.0, 1, "rack C", outside_mm=48.0),
    StockItem("tube-42-25", "Tube 42 x 2.5", "tube", 1450.0, 37.0, 1, "rack C", outside_mm=42.0),
    StockItem("tube-25-2", "Tube 25 x 2", "tube", 640.0, 21.0, 1, "rack C", outside_mm=25.0),
    StockItem("bar-40", "Round bar 40 mm, offcut", "bar", 150.0, 0.0, 1, "rack C", outside_mm=40.0),
    StockItem("sheet-4", "Sheet 4 mm, half", "sheet", 4.0, 0.0, 1, "rack D", wide_mm=1000.0, long_mm=500.0),
    StockItem("sheet-3-off", "Sheet 3 mm, offcut", "sheet", 3.0, 0.0, 1, "rack D", wide_mm=400.0, long_mm=300.0),
    StockItem("bar-30", "Round bar 30 mm", "bar", 1000.0, 0.0, 2, "rack C", outside_mm=30.0),
    StockItem("bush-ring", "Rubber ring 24/18", "bush", 24.0, 20.0, 4, "bin 9", "rubber", 38.0),
    *(
        StockItem(f"drill-{d * 10:.0f}", f"Drill {d:g} mm", "drill", d, 0.0, 1, "drill stand")
        for d in (5.0, 6.8, 8.5, 9.0, 9.5, 10.0, 10.2, 10.5, 11.0, 11.5, 12.0, 13.0, 14.0)
    ),
)
