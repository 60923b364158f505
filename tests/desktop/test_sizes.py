"""Every view at every size: nothing cut, nothing over anything else."""

import pytest

from tests.desktop.overlaps import cut, overlapping


def looked_at(driver, where):
    driver.settle()
    driver.workspace.card.at_once()
    driver.qtbot.wait(10)  # a head that takes another line asks the window for room once it stands
    driver.settle()
    return [f"{where}: {each}" for each in [*overlapping(driver.window), *cut(driver.window)]]


@pytest.mark.parametrize(("width", "height"), [(853, 533), (1000, 700), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_or_covered_in_any_view(driver, demo, width, height):
    driver.open(demo)
    driver.window.resize(width, height)
    found = []
    for fold in driver.desk.basket.folds:
        driver.desk.show_fold(fold.name)
        found += looked_at(driver, fold.name)
        for word in [*driver.workspace.sentence.words]:
            driver.desk.select_word(word.word.id)
            found += looked_at(driver, f"{fold.name}, {word.text()}")
    for source in driver.desk.basket.sources:
        driver.desk.show_source(source.name)
        found += looked_at(driver, source.name)
        for field in driver.desk.supply.tables[source.name].columns:
            driver.desk.show_source(source.name, field)
            found += looked_at(driver, f"{source.name}, {field}")
    assert (driver.window.width(), driver.window.height()) == (width, height)
    assert not found, "\n".join(found)
