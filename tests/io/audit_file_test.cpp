// Audits that are kept: written and read alike, and what is refused.

#include "base/file.h"
#include "io/project/audit_file.h"
#include "support/temp_folder.h"

#include <fstream>
#include <gtest/gtest.h>

namespace thicket {
namespace fs = std::filesystem;
namespace {

AuditBaseline anAudit() {
    AuditBaseline out;
    out.summary = {"walk", "Desk", 3, 1, 2.5, 7.25, 8, 8.5, 120'000, 44, {{"Wind <pump>", 1.5}, {"Reeds", 0.25}}};
    out.frames = {{0, 2.5, 100, 4}, {0.5, 8.5, 120'000, 44}, {1, 2, 90, 3}};
    return out;
}

} // namespace

TEST(AuditFile, is_read_as_it_was_written) {
    const TempFolder folder;
    const fs::path file = auditFile(auditsFolder(folder.path() / "shore.thicket.json"), "before");
    EXPECT_EQ(file, folder.path() / "shore.audits" / "before.audit.json");
    ASSERT_TRUE(writeAudit(anAudit(), file));
    const auto read = readAudit(file);
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_EQ(read->summary.route, "walk");
    EXPECT_EQ(read->summary.p95, 7.25);
    EXPECT_EQ(read->summary.frames, 3U);
    EXPECT_EQ(read->summary.subjectMs, anAudit().summary.subjectMs);
    ASSERT_EQ(read->frames.size(), 3U);
    EXPECT_EQ(read->frames[1].triangles, 120'000);
    EXPECT_EQ(keptAudits(file.parent_path()), std::vector<std::string>{"before"});
    EXPECT_TRUE(keptAudits(folder.path() / "nowhere").empty());
}

TEST(AuditFile, names_stay_inside_their_folder) {
    for (const std::string name : {"../../x", "a/b", "..", ".", "", "c:\\d", "a\nb"}) {
        const fs::path file = auditFile("/somewhere/kept", name);
        EXPECT_EQ(file.lexically_normal().parent_path(), "/somewhere/kept") << name;
        EXPECT_NE(file.filename().string().front(), '.') << name;
    }
}

TEST(AuditFile, frames_are_found_by_their_time) {
    const AuditBaseline audit = anAudit();
    EXPECT_EQ(frameAt(audit, 0.52), &audit.frames[1]);
    EXPECT_EQ(frameAt(audit, -0.05), &audit.frames[0]);
    EXPECT_EQ(frameAt(audit, 1.05), &audit.frames[2]);
    EXPECT_EQ(frameAt(audit, 0.25), nullptr) << "none is so near";
    EXPECT_EQ(frameAt({}, 0), nullptr);
}

TEST(AuditFile, what_is_no_audit_is_refused_by_its_field) {
    const TempFolder folder;
    ASSERT_TRUE(writeAudit(anAudit(), folder.path() / "good.json"));
    const std::string good = *readTextFile(folder.path() / "good.json");
    const auto refused = [&](const std::string& from, const std::string& to, const std::string& field) {
        std::string text = good;
        const auto at = text.find(from);
        ASSERT_NE(at, std::string::npos) << from;
        text.replace(at, from.size(), to);
        const fs::path file = folder.path() / "bad.json";
        ASSERT_TRUE(writeTextFile(file, text));
        const auto read = readAudit(file);
        ASSERT_FALSE(read) << to;
        EXPECT_EQ(read.error().where, file.string());
        EXPECT_NE(read.error().what.find(field), std::string::npos) << read.error().text();
    };
    refused("\"route\": \"walk\"", "\"route\": 7", "summary.route");
    refused("\"p95_ms\": 7.25", "\"p95_ms\": -1", "summary.p95_ms");
    refused("\"seconds\": 0.5", "\"seconds\": 1.5", "frames[2].seconds");
    refused("\"draws\": 44.0", "\"draws\": \"many\"", "draws");
    EXPECT_EQ(readAudit(folder.path() / "none.json").error().code, ErrorCode::NotFound);
    // Two gigabytes of nothing are not read to find that out.
    std::ofstream(folder.path() / "huge.json") << ' ';
    fs::resize_file(folder.path() / "huge.json", std::uintmax_t{2} << 30);
    EXPECT_EQ(readAudit(folder.path() / "huge.json").error().code, ErrorCode::TooLarge);
}

} // namespace thicket
