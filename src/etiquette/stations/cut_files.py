"""Cut files in a folder, for cutters that read marks and fetch their jobs by themselves: two a frame, one for each end."""

from dataclasses import replace

import numpy as np

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.geometry.paths import Points
from etiquette.devices.open_directory import put_file
from etiquette.stations.cutting import as_told, lines_of_sheet
from etiquette.stations.shop import Shop
from etiquette.stations.tool_shelf import cards_of, cutter_of, setting_of
from etiquette.store.models import Plate, Run


def write_cut_files(shop: Shop, plate: Plate) -> list[str]:
    """HP-GL of a frame as planned, from its first mark: CODE-H for a sheet that is loaded head first, CODE-T half a turn
    further for tail first. Returns the names of the files, under the folder “cut files” of the shop's data."""
    plan = plate.summary["plan"]
    size = np.array([plan["width_mm"], plan["length_mm"]])
    lines = lines_of_sheet(shop, plate)
    document = shop.database.within(lambda session: session.get_one(Run, plate.run_id).document)

    def with_what(session):  # type: ignore[no-untyped-def]
        cutter = cutter_of(session, document)
        return setting_of(cutter), cards_of(session, cutter.id, document["stock_id"])

    setting, cards = shop.database.within(with_what)
    setting = replace(setting, feed=1.0)  # a machine that fetches its jobs corrects its feed by itself
    names = []
    for end, turned in (("H", False), ("T", True)):
        marks = np.array([mark[1:] for mark in plan["marks"]] or [[0.0, 0.0]], dtype=float)

        first = size - marks if turned else marks
        origin = first[np.lexsort((first[:, 0], first[:, 1]))[0]]

        def laid(points: Points, turned: bool = turned, origin: Points = origin) -> Points:
            return (size - points if turned else points) - origin

        motion = plan_motion(lines, setting.profile, cards, laid)
        name = f"{plan['codes'][0][0]}-{end}.plt"
        put_file(shop.settings.data / "cut files", name, as_told(motion.strokes, setting, cards).encode())
        names.append(name)
    return names
