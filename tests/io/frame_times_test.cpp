// Tables of frame times: any usual delimiter, columns in any order, and one clear message for what is none.

#include "io/import/frame_times.h"

#include "base/file.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

class FrameTimes : public ::testing::Test {
protected:
    TempFolder folder;
    Result<std::vector<FrameTime>> read(const std::string& text) {
        EXPECT_TRUE(writeTextFile(folder.path() / "times.csv", text));
        return readFrameTimes(folder.path() / "times.csv");
    }
    std::string said(const std::string& text) {
        const auto rows = read(text);
        EXPECT_FALSE(rows) << text;
        return rows ? std::string() : rows.error().what;
    }
};

} // namespace

TEST_F(FrameTimes, columns_come_in_any_order_with_any_usual_delimiter) {
    for (const char* text :
         {"triangles,vertices,draws,pixels,ms\n10,20,3,400,1.5\n",
          "ms;pixels;draws;vertices;triangles\n1.5;400;3;20;10",
          "frame\tMS\tDraws\tTriangles\tPixels\tVertices\r\n7\t1.5\t3\t10\t400\t20\r\n\r\n",
          "\xEF\xBB\xBF\"triangles\", \"vertices\", \"draws\", \"pixels\", \"ms\"\n \"10\",20 , 3,400,1.5\n"}) {
        const auto rows = read(text);
        ASSERT_TRUE(rows) << rows.error().text();
        ASSERT_EQ(rows->size(), 1U) << text;
        EXPECT_EQ(rows->front().triangles, 10);
        EXPECT_EQ(rows->front().vertices, 20);
        EXPECT_EQ(rows->front().draws, 3);
        EXPECT_EQ(rows->front().pixels, 400);
        EXPECT_EQ(rows->front().ms, 1.5);
    }
}

TEST_F(FrameTimes, what_is_not_known_need_not_be_there) {
    const auto rows = read("draws,triangles,ms\n1,200,3\n2,400,5\n");
    ASSERT_TRUE(rows);
    ASSERT_EQ(rows->size(), 2U);
    EXPECT_EQ((*rows)[1].vertices, 400);
    EXPECT_EQ((*rows)[1].pixels, 0);
}

TEST_F(FrameTimes, what_is_no_table_is_said_with_its_line) {
    EXPECT_EQ(said(""), "line 1: it is empty");
    EXPECT_EQ(said("triangles,draws\n1,2\n"), "line 1: there is no column ms");
    EXPECT_EQ(said("triangles,draws,ms\n1,2,3\n1,2\n"), "line 3: has no ms");
    EXPECT_EQ(said("triangles,draws,ms\n1,2,fast\n"), "line 2: fast is no number of ms");
    EXPECT_EQ(said("triangles,draws,ms\n1,2,3 ms\n"), "line 2: 3 ms is no number of ms");
    EXPECT_EQ(said("triangles,draws,ms\n1,,3\n"), "line 2:  is no number of draws");
    EXPECT_EQ(said(std::string("triangles\0draws", 15)), "line 1: it is no plain text");
    EXPECT_LT(said("triangles,draws,ms\n1,2," + std::string(5000, 'x')).size(), 100U) << "not all of it is repeated";
    const auto gone = readFrameTimes(folder.path() / "none.csv");
    ASSERT_FALSE(gone);
    EXPECT_EQ(gone.error().code, ErrorCode::NotFound);
}

TEST_F(FrameTimes, any_bytes_are_read_or_refused) {
    const std::string sound = "triangles,vertices,draws,pixels,ms\n10,20,3,400,1.5\n30,60,9,1200,4.5\n";
    std::mt19937 random(3);
    int read = 0;
    for (int i = 0; i < 400; ++i) {
        std::string text = sound;
        for (int k = 0; k < 1 + i % 4; ++k)
            text[random() % text.size()] = static_cast<char>(random());
        const auto rows = this->read(text);
        if (!rows) {
            EXPECT_FALSE(rows.error().remedy.empty());
            continue;
        }
        ++read;
        EXPECT_LE(rows->size(), text.size());
    }
    EXPECT_GT(read, 20);
    EXPECT_LT(read, 400);
}

} // namespace thicket
