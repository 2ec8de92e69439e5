// Tables of placements as people have them, whole and broken.

#include "io/import/placement_table.h"

#include "base/file.h"
#include "support/temp_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

namespace thicket {
namespace {

class PlacementTables : public ::testing::Test {
protected:
    Result<PlacementTable> read(const std::string& text, const TableOptions& options = {}) {
        const auto file = m_folder.path() / "t.csv";
        EXPECT_TRUE(writeTextFile(file, text));
        return readPlacementTable(file, options, {});
    }
    PlacementTable good(const std::string& text, const TableOptions& options = {}) {
        auto table = read(text, options);
        EXPECT_TRUE(table) << (table ? "" : table.error().text());
        return table ? std::move(*table) : PlacementTable();
    }
    std::string reason(const std::string& rows, const TableOptions& options = {}) {
        const PlacementTable table = good("asset,x,y,z,qx,qy,qz,qw,scale,id\n" + rows, options);
        EXPECT_EQ(table.badRows, 1U) << rows;
        return table.bad.empty() ? "" : fmt::format("{}: {}", table.bad[0].line, table.bad[0].reason);
    }
    TempFolder m_folder;
};

} // namespace

TEST_F(PlacementTables, takes_columns_in_any_order_with_any_usual_delimiter) {
    for (const char* delimiter : {",", ";", "\t", "|"}) {
        std::string text =
            "# posts of the channel\nid,Scale,z,y,x,asset\n7,1.5,-3,2,1e1,\"Tall, bent\"\r\n\n8,1,0,0,0,Post\n";
        if (*delimiter != ',') {
            text = "id,Scale,z,y,x,asset\n7,1.5,-3,2,1e1,Tall bent\r\n8,1,0,0,0,Post\n";
            std::replace(text.begin(), text.end(), ',', *delimiter);
        }
        const PlacementTable table = good(text);
        ASSERT_EQ(table.copies.size(), 2U);
        EXPECT_EQ(table.assets[0], *delimiter == ',' ? "Tall, bent" : "Tall bent");
        EXPECT_EQ(table.copies[0].position, Vec3d(10, 2, -3));
        EXPECT_EQ(table.copies[0].scale, 1.5);
        EXPECT_EQ(table.copies[0].id, 7U);
        EXPECT_EQ(table.copies[1].asset, 1U);
        EXPECT_EQ(table.badRows, 0U);
    }
}

TEST_F(PlacementTables, without_headings_the_number_of_columns_says_what_they_are) {
    EXPECT_EQ(good("1,2,3\n4,5,6\n").copies[1].position, Vec3d(4, 5, 6));
    const PlacementTable table = good("post,1,2,3,0,0.7071,0,0.7071,2,40\n");
    EXPECT_EQ(table.assets[0], "post");
    EXPECT_NEAR((table.copies[0].rotation * Vec3d(0, 0, 1) - Vec3d(1, 0, 0)).norm(), 0, 1e-9);
    EXPECT_EQ(table.copies[0].id, 40U);
    EXPECT_FALSE(read("a,b\nc,d\n"));
    EXPECT_FALSE(read("1,2,3,4,5,6,7\n"));
}

TEST_F(PlacementTables, angles_turn_about_the_axes_in_their_order) {
    const std::string text = "x,y,z,rx,ry,rz\n0,0,0,90,90,0\n";
    // YXZ: first about y, then about the x that has turned with it.
    const Vec3d yxz = good(text).copies[0].rotation * Vec3d(0, 0, 1);
    EXPECT_NEAR((yxz - Vec3d(0, -1, 0)).norm(), 0, 1e-9);
    TableOptions options;
    options.eulerOrder = "xyz";
    const Vec3d xyz = good(text, options).copies[0].rotation * Vec3d(0, 0, 1);
    EXPECT_NEAR((xyz - Vec3d(1, 0, 0)).norm(), 0, 1e-9);
    options.eulerOrder = "xxz";
    EXPECT_FALSE(read(text, options));
}

TEST_F(PlacementTables, each_bad_row_is_named_with_its_line_and_reason) {
    TableOptions known;
    known.assets = {"a"};
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,1,1\na,nan,2,3,0,0,0,1,1,2\n", known), "3: x is not a number");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,0,1\n", known), "2: scale is 0");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,-2,1\n", known), "2: scale is -2");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,0,1,1\n", known), "2: its rotation has no length");
    EXPECT_EQ(reason("b,1,2,3,0,0,0,1,1,1\n", known), "2: asset “b” is not known");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,1\n", known), "2: has 9 columns, not 10");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,1,5\na,1,2,3,0,0,0,1,1,5\n", known), "3: id 5 is there already");
    EXPECT_EQ(reason("a,1,2,3,0,0,0,1,1,2.5\n", known), "2: id is not a whole number above 0");
    EXPECT_EQ(reason("a,1,zwei,3,0,0,0,1,1,1\n", known), "2: y is not a number");
    EXPECT_EQ(reason("a,1,2e8,3,0,0,0,1,1,1\n", known), "2: y is 200000 km from the origin");
    EXPECT_EQ(reason("a,,2,3,0,0,0,1,1,1\n", known), "2: x is not a number");
}

TEST_F(PlacementTables, bad_rows_leave_the_others_as_they_are) {
    std::string text = "asset,x,y,z,id\n";
    for (int i = 0; i < 200'000; ++i) // several pieces
        text += i % 1000 == 999 ? "post,oops,0,0,1\n" : fmt::format("post,{},0,{},{}\n", i % 100, i / 100, i + 1);
    const PlacementTable table = good(text);
    EXPECT_EQ(table.copies.size(), 199'800U);
    EXPECT_EQ(table.badRows, 200U);
    EXPECT_EQ(table.bad[1].line, 2001U) << "lines count on through the whole file";
    EXPECT_EQ(table.copies[999].id, 1001U);
    EXPECT_NE(badRowsText(table, 2).find("and 198 more"), std::string::npos);
}

TEST_F(PlacementTables, a_mark_at_the_beginning_is_no_part_of_it_and_other_encodings_are_refused) {
    EXPECT_EQ(good("\xEF\xBB\xBFx,y,z\n1,2,3\n").copies.size(), 1U);
    auto bad = read(std::string("\xFF\xFEx\0,\0y\0", 8));
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().what.find("UTF-8"), std::string::npos);
    EXPECT_EQ(good("asset,x,y,z\n\xE9tang,1,2,3\n").bad.at(0).reason, "asset's name is not UTF-8");
}

TEST_F(PlacementTables, a_line_without_end_is_refused) {
    EXPECT_FALSE(read(std::string(10'000'000, '1')));
    const PlacementTable table = good("x,y,z\n" + std::string(10'000'000, '1') + "\n1,2,3\n");
    EXPECT_EQ(table.copies.size(), 1U);
    EXPECT_EQ(table.bad.at(0).reason, "is 10000000 bytes long");
}

TEST_F(PlacementTables, json_tables_are_read_too) {
    const PlacementTable table = good(R"({"placements": [
        {"asset": "reed", "position": [1, 2, 3], "rotation": [0, 0, 0, 1], "scale": 2, "id": 9},
        {"asset": "reed", "position": [1, 2], "id": 10},
        {"asset": "post", "position": [1, 2, 3], "euler": [0, 90, 0], "importance": 2},
        {"position": "here"}, 7]})");
    ASSERT_EQ(table.copies.size(), 2U);
    EXPECT_EQ(table.copies[0].id, 9U);
    EXPECT_EQ(table.copies[1].importance, 2);
    EXPECT_EQ(table.badRows, 3U);
    EXPECT_EQ(table.bad[0].reason, "position needs 3 numbers");
    EXPECT_FALSE(read("{\"placements\": 3}"));
    EXPECT_FALSE(read("[{\"position\": [1,2,3]"));
}

TEST_F(PlacementTables, what_is_no_table_is_refused_in_one_line) {
    EXPECT_FALSE(read(""));
    EXPECT_FALSE(read("\n\n# nothing\n"));
    EXPECT_FALSE(read("asset,x,y\nr,1,2\n"));
    EXPECT_FALSE(read("x,y,z,x\n1,2,3,4\n"));
    EXPECT_FALSE(readPlacementTable(m_folder.path() / "none.csv", {}, {}));
}

} // namespace thicket
