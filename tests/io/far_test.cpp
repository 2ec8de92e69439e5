// Meshes in map coordinates: a ball ten thousand kilometres from the origin is still a ball.

#include "base/file.h"
#include "io/import/import.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <fmt/format.h>
#include <gtest/gtest.h>

namespace thicket {
namespace {

const Vec3d kThere(10'000'000, -2'000'000, 5'000'000.25);

std::string objAt(const Mesh& mesh, const Vec3d& there) {
    std::string out = "# a ball\nmtllib none.mtl\no ball\n";
    for (const Vec3f& p : mesh.positions) {
        const Vec3d at = there + p.cast<double>();
        out += fmt::format("v {:.7f}\t{:.7f} {:.7f} 0.5 0.25 1\r\n", at.x(), at.y(), at.z());
    }
    for (std::size_t i = 0; i < mesh.indices.size(); i += 3)
        out += fmt::format("f {} {} {}\n", mesh.indices[i] + 1, mesh.indices[i + 1] + 1, mesh.indices[i + 2] + 1);
    return out;
}

template <class T> void put(std::string& out, T value, bool swapped) {
    std::array<char, sizeof(T)> bytes{};
    std::memcpy(bytes.data(), &value, sizeof(T));
    if (swapped)
        std::reverse(bytes.begin(), bytes.end());
    out.append(bytes.data(), bytes.size());
}

/// The third coordinate before the others, and a byte between them.
std::string plyAt(const Mesh& mesh, const Vec3d& there, const std::string& format, bool doubles) {
    const char* kind = doubles ? "double" : "float";
    std::string out = fmt::format("ply\nformat {} 1.0\nelement vertex {}\nproperty {} z\nproperty uchar quality\n"
                                  "property {} x\nproperty {} y\nelement face {}\nproperty list uchar int "
                                  "vertex_indices\nend_header\n",
                                  format, mesh.vertexCount(), kind, kind, kind, mesh.triangleCount());
    const bool swapped = format == "binary_big_endian";
    for (const Vec3f& p : mesh.positions) {
        const Vec3d at = there + p.cast<double>();
        if (format == "ascii") {
            out += fmt::format("{:.7f} 7 {:.7f} {:.7f}\n", at.z(), at.x(), at.y());
            continue;
        }
        for (const int axis : {2, 0, 1}) {
            if (doubles)
                put(out, at[axis], swapped);
            else
                put(out, static_cast<float>(at[axis]), swapped);
            if (axis == 2)
                out += '\7';
        }
    }
    for (std::size_t i = 0; i < mesh.indices.size(); i += 3) {
        if (format == "ascii") {
            out += fmt::format("3 {} {} {}\n", mesh.indices[i], mesh.indices[i + 1], mesh.indices[i + 2]);
            continue;
        }
        out += '\3';
        for (std::size_t k = 0; k < 3; ++k)
            put(out, static_cast<std::int32_t>(mesh.indices[i + k]), swapped);
    }
    return out;
}

/// Reads it and says how far its points are from a ball of radius 1; checks that it says how it was moved.
double offBall(const std::string& name, const std::string& data, bool moved) {
    const TempFolder folder;
    EXPECT_TRUE(writeTextFile(folder.path() / name, data));
    const auto read = readModel(folder.path() / name, {});
    EXPECT_TRUE(read) << name;
    if (!read)
        return 1e9;
    const ImportedSubject& subject = read->front();
    const Mesh& mesh = subject.levels.front().mesh;
    EXPECT_EQ(mesh.triangleCount(), 320U) << name;
    const bool said = std::any_of(subject.notes.begin(), subject.notes.end(), [](const std::string& note) {
        return note.find("from the origin; moved by") != std::string::npos;
    });
    EXPECT_EQ(said, moved) << name;
    const Vec3d centre = boundsOf(mesh).centre();
    double off = 0;
    for (const Vec3f& p : mesh.positions)
        off = std::max(off, std::abs((p.cast<double>() - centre).norm() - 1));
    return off;
}

TEST(Far, points_of_text_and_doubles_are_held_where_floats_are_a_metre_apart) {
    const Mesh ball = shapes::sphere(4);
    EXPECT_LT(offBall("ball.obj", objAt(ball, kThere), true), 1e-5);
    for (const char* format : {"ascii", "binary_little_endian", "binary_big_endian"})
        EXPECT_LT(offBall("ball.ply", plyAt(ball, kThere, format, true), true), 1e-5) << format;
}

TEST(Far, what_stands_near_or_is_rounded_already_is_left_alone) {
    const Mesh ball = shapes::sphere(4);
    EXPECT_LT(offBall("ball.obj", objAt(ball, {3, 4, -5}), false), 1e-5);
    EXPECT_LT(offBall("ball.ply", plyAt(ball, {3, 4, -5}, "binary_little_endian", true), false), 1e-5);
    EXPECT_LT(offBall("ball.ply", plyAt(ball, {3, 4, -5}, "ascii", false), false), 1e-5);
    EXPECT_GT(offBall("ball.ply", plyAt(ball, {20'000'000, 0, 0}, "binary_little_endian", false), false), 0.1);
}

TEST(Far, a_header_without_a_file_behind_it_is_refused) {
    const TempFolder folder;
    for (const char* format : {"ascii", "binary_little_endian"}) {
        const std::string whole = plyAt(shapes::sphere(1), kThere, format, true);
        std::string header = whole.substr(0, whole.find("end_header") + 10); // no newline either
        header.replace(header.find("vertex 12"), 9, "vertex 1");
        ASSERT_TRUE(writeTextFile(folder.path() / "head.ply", header));
        EXPECT_FALSE(readModel(folder.path() / "head.ply", {})) << format;
    }
    EXPECT_FALSE(readModel(folder.path() / "gone.ply", {}));
    EXPECT_FALSE(readModel(folder.path() / "gone.obj", {}));
}

TEST(Far, files_that_end_early_give_an_error_and_nothing_worse) {
    const Mesh ball = shapes::sphere(4);
    for (const char* format : {"ascii", "binary_little_endian", "binary_big_endian"}) {
        const std::string whole = plyAt(ball, kThere, format, true);
        for (std::size_t length = whole.size() / 20; length < whole.size(); length += whole.size() / 7) {
            const TempFolder folder;
            ASSERT_TRUE(writeTextFile(folder.path() / "cut.ply", whole.substr(0, length)));
            if (const auto read = readModel(folder.path() / "cut.ply", {}); !read) {
                EXPECT_FALSE(read.error().what.empty());
            }
        }
    }
}

} // namespace
} // namespace thicket
