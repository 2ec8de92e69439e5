// The dialog asks what a file of heights does not say, and lets nothing through that cannot be read so.

#include "app/terrain/heights_dialog.h"

#include "io/import/heights_file.h"
#include "support/temp_folder.h"

#include <QLabel>
#include <QPushButton>
#include <QTest>
#include <fstream>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

QString put(const TempFolder& folder, const char* name, const std::string& bytes) {
    const auto path = folder.path() / name;
    std::ofstream(path, std::ios::binary) << bytes;
    return QString::fromStdString(path.string());
}

std::string lowFirst(std::size_t count) {
    std::string out;
    for (std::size_t i = 0; i < count; ++i) {
        out.push_back(static_cast<char>(i & 0xFF));
        out.push_back(static_cast<char>(i >> 8));
    }
    return out;
}

template <class W> W& part(HeightsDialog& dialog, const char* name) {
    W* found = dialog.findChild<W*>(QString::fromLatin1(name));
    EXPECT_NE(found, nullptr) << name;
    return *found;
}

QString facts(HeightsDialog& dialog) {
    return part<QLabel>(dialog, "heightFacts").text();
}
bool mayAdd(HeightsDialog& dialog) {
    return part<QPushButton>(dialog, "heightAdd").isEnabled();
}

} // namespace

TEST(HeightsDialog, raw_heights_are_a_square_until_their_columns_are_said) {
    const TempFolder folder;
    const QString path = put(folder, "flat.r16", lowFirst(33 * 33));
    HeightsDialog dialog(path);
    EXPECT_TRUE(mayAdd(dialog));
    EXPECT_TRUE(facts(dialog).contains(QStringLiteral("33 × 33"))) << facts(dialog).toStdString();
    // 33 x 33 is 11 x 99 as well, but no whole number of rows of 40.
    part<NumberBox>(dialog, "heightColumns").setValue(11);
    EXPECT_TRUE(mayAdd(dialog));
    EXPECT_TRUE(facts(dialog).contains(QStringLiteral("11 × 99"))) << facts(dialog).toStdString();
    part<NumberBox>(dialog, "heightColumns").setValue(40);
    EXPECT_FALSE(mayAdd(dialog));
    EXPECT_FALSE(facts(dialog).isEmpty());
    part<NumberBox>(dialog, "heightColumns").setValue(0);
    EXPECT_TRUE(mayAdd(dialog)) << "square again";
}

TEST(HeightsDialog, what_it_gives_reads_as_it_says) {
    const TempFolder folder;
    const QString path = put(folder, "flat.r16", lowFirst(17 * 9));
    HeightsDialog dialog(path);
    EXPECT_FALSE(mayAdd(dialog)) << "no square";
    part<NumberBox>(dialog, "heightColumns").setValue(17);
    part<NumberBox>(dialog, "heightRows").setValue(9);
    part<NumberBox>(dialog, "heightSpacing").setValue(2.5);
    auto& ranged = part<QCheckBox>(dialog, "heightRanged");
    EXPECT_TRUE(ranged.isEnabled());
    ranged.setChecked(true);
    part<NumberBox>(dialog, "heightLow").setValue(-10);
    part<NumberBox>(dialog, "heightHigh").setValue(55.35);
    ASSERT_TRUE(mayAdd(dialog));
    EXPECT_TRUE(facts(dialog).contains(QStringLiteral("40"))) << "16 cells of 2.5 m: " << facts(dialog).toStdString();
    const HeightOptions options = dialog.options();
    EXPECT_EQ(options.columns, 17U);
    EXPECT_EQ(options.rows, 9U);
    EXPECT_EQ(options.spacing, 2.5);
    ASSERT_TRUE(options.low && options.high);
    const auto read = readHeights(path.toStdString(), options, {});
    ASSERT_TRUE(read) << read.error().text();
    // 65,535 steps lie between the two: a tenth of a centimetre or so each.
    EXPECT_NEAR(static_cast<double>(read->heights.at(0, 0)), -10, 1e-3);
    EXPECT_NEAR(static_cast<double>(read->heights.at(16, 8)), -10 + 65.35 * (17 * 9 - 1) / 65535, 2e-3);
}

TEST(HeightsDialog, a_range_that_is_none_is_not_taken) {
    const TempFolder folder;
    HeightsDialog dialog(put(folder, "flat.raw", lowFirst(9 * 9)));
    part<QCheckBox>(dialog, "heightRanged").setChecked(true);
    part<NumberBox>(dialog, "heightLow").setValue(20);
    part<NumberBox>(dialog, "heightHigh").setValue(20);
    EXPECT_FALSE(mayAdd(dialog));
    part<NumberBox>(dialog, "heightHigh").setValue(19);
    EXPECT_FALSE(mayAdd(dialog));
    part<NumberBox>(dialog, "heightHigh").setValue(21);
    EXPECT_TRUE(mayAdd(dialog));
    part<QCheckBox>(dialog, "heightRanged").setChecked(false);
    part<NumberBox>(dialog, "heightHigh").setValue(5);
    EXPECT_TRUE(mayAdd(dialog)) << "of no account then";
    EXPECT_FALSE(part<NumberBox>(dialog, "heightLow").isEnabled());
    EXPECT_FALSE(dialog.options().low);
}

TEST(HeightsDialog, which_byte_is_first_is_said_for_raw_files_whatever_their_name_is_written_like) {
    const TempFolder folder;
    HeightsDialog dialog(put(folder, "FLAT.RAW", lowFirst(9 * 9)));
    dialog.show();
    auto& big = part<QCheckBox>(dialog, "heightBig");
    EXPECT_TRUE(big.isVisible());
    EXPECT_FALSE(dialog.options().bigEndian);
    QTest::mouseClick(&big, Qt::LeftButton, {}, QPoint(8, big.height() / 2));
    EXPECT_TRUE(dialog.options().bigEndian);
    HeightsDialog floats(put(folder, "flat.r32", std::string(4 * 25, '\0')));
    EXPECT_EQ(floats.options().samples, RawSamples::Float32);
    EXPECT_TRUE(facts(floats).contains(QStringLiteral("5 × 5"))) << facts(floats).toStdString();
}

TEST(HeightsDialog, what_the_file_says_is_not_asked) {
    const TempFolder folder;
    const std::string grid = "ncols 3\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 7.5\nnodata_value -9999\n"
                             "1 2 3\n4 5 6.5\n";
    HeightsDialog dialog(put(folder, "survey.asc", grid));
    dialog.show();
    EXPECT_TRUE(mayAdd(dialog)) << facts(dialog).toStdString();
    EXPECT_EQ(part<NumberBox>(dialog, "heightSpacing").value(), 7.5);
    EXPECT_FALSE(part<NumberBox>(dialog, "heightColumns").isVisible());
    EXPECT_FALSE(part<QCheckBox>(dialog, "heightRanged").isChecked()) << "they are metres";
    EXPECT_FALSE(part<QCheckBox>(dialog, "heightRanged").isEnabled());
    EXPECT_EQ(dialog.options().columns, 0U);
}

TEST(HeightsDialog, what_is_no_file_of_heights_is_said_and_cannot_be_added) {
    const TempFolder folder;
    for (const auto& [name, bytes] : {std::pair<const char*, std::string>{"broken.asc", "ncols many\n"},
                                      {"empty.r16", ""},
                                      {"broken.tif", "II*"},
                                      {"broken.png", "\x89PNG nothing"}}) {
        HeightsDialog dialog(put(folder, name, bytes));
        EXPECT_FALSE(mayAdd(dialog)) << name;
        EXPECT_GT(facts(dialog).size(), 10) << name;
    }
    HeightsDialog gone(QString::fromStdString((folder.path() / "gone.png").string()));
    EXPECT_FALSE(mayAdd(gone));
    EXPECT_TRUE(facts(gone).contains(QStringLiteral("gone.png"))) << facts(gone).toStdString();
}

} // namespace thicket::app
