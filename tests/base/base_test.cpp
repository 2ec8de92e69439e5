#include "base/big_vector.h"
#include "base/file.h"
#include "base/job.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "base/text.h"
#include "support/temp_folder.h"

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <map>
#include <mutex>
#include <random>
#include <regex>
#include <set>
#include <sys/resource.h>
#include <tbb/global_control.h>
#include <tbb/task_arena.h>
#include <thread>
#include <unistd.h>

namespace thicket {

TEST(Text, groups_digits_in_threes) {
    EXPECT_EQ(grouped(0), "0");
    EXPECT_EQ(grouped(999), "999");
    EXPECT_EQ(grouped(1000), "1,000");
    EXPECT_EQ(grouped(484210), "484,210");
    EXPECT_EQ(grouped(-1234567), "-1,234,567");
}

TEST(Text, lengths_choose_a_unit_that_keeps_two_digits) {
    EXPECT_EQ(figure(0.0361, 2), "0.036");
    EXPECT_EQ(figure(14.83, 3), "14.8");
    EXPECT_EQ(figure(6.0, 3), "6");
    EXPECT_EQ(figure(250.4, 2), "250");
    EXPECT_EQ(figure(100, 3), "100");
    EXPECT_EQ(figure(4097.3, 3), "4,097");
    EXPECT_EQ(figure(-1234567.0, 2), "-1,234,567");
    EXPECT_EQ(figure(1e-9, 2), "0");
    EXPECT_EQ(figure(std::nan(""), 2), "0");
    EXPECT_EQ(length(0), "0 mm");
    EXPECT_EQ(length(0.00004), "0.04 mm");
    EXPECT_EQ(length(0.0036), "3.6 mm");
    EXPECT_EQ(length(0.061), "61 mm");
    EXPECT_EQ(length(3.456), "3.46 m");
    EXPECT_EQ(length(84), "84.0 m");
    EXPECT_EQ(length(1240), "1,240 m");
}

TEST(Text, hash_shares_are_even) {
    double sum = 0;
    int low = 0;
    for (std::uint32_t i = 0; i < 20000; ++i) {
        const double u = hashShare(i);
        ASSERT_GE(u, 0);
        ASSERT_LT(u, 1);
        sum += u;
        low += u < 0.25 ? 1 : 0;
    }
    EXPECT_NEAR(sum / 20000, 0.5, 0.01);
    EXPECT_NEAR(low / 20000.0, 0.25, 0.01);
}

TEST(Parallel, chunks_cover_everything_once) {
    for (const std::size_t count :
         {std::size_t{0}, std::size_t{1}, std::size_t{99}, std::size_t{100}, std::size_t{101}, std::size_t{5000}}) {
        std::vector<int> seen(count, 0);
        parallelChunks(count, 100, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                ++seen[i];
        });
        EXPECT_TRUE(std::all_of(seen.begin(), seen.end(), [](int n) { return n == 1; })) << count;
    }
}

TEST(File, writing_replaces_whole_and_leaves_no_rest) {
    const TempFolder folder;
    const auto file = folder.path() / "deep" / "a.txt";
    ASSERT_TRUE(writeTextFile(file, "first"));
    ASSERT_TRUE(writeTextFile(file, "second"));
    EXPECT_EQ(*readTextFile(file), "second");
    int entries = 0;
    for ([[maybe_unused]] const auto& e : std::filesystem::directory_iterator(file.parent_path()))
        ++entries;
    EXPECT_EQ(entries, 1);
}

TEST(File, a_failed_write_keeps_the_old_file) {
    const TempFolder folder;
    // The target is a folder that is not empty: the rename at the end cannot succeed.
    const auto target = folder.path() / "taken";
    std::filesystem::create_directories(target / "inside");
    const auto done = writeTextFile(target, "text");
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::Unwritable);
    EXPECT_TRUE(std::filesystem::exists(target / "inside"));
    int entries = 0;
    for ([[maybe_unused]] const auto& e : std::filesystem::directory_iterator(folder.path()))
        ++entries;
    EXPECT_EQ(entries, 1) << "a temporary file was left behind";
}

TEST(File, errors_say_what_and_what_to_do) {
    const auto missing = readFile("no/such/file.glb");
    ASSERT_FALSE(missing);
    EXPECT_EQ(missing.error().text(), "no/such/file.glb: no such file; check the path");
    EXPECT_EQ(readFile(".").error().code, ErrorCode::BadInput);
}

TEST(File, content_hash_follows_the_content) {
    const std::string a = "saltmere";
    const std::string b = "saltmerf";
    EXPECT_EQ(contentHash(std::as_bytes(std::span(a))), contentHash(std::as_bytes(std::span(a))));
    EXPECT_NE(contentHash(std::as_bytes(std::span(a))), contentHash(std::as_bytes(std::span(b))));
    EXPECT_EQ(contentHash(std::as_bytes(std::span(a))).size(), 32U);
}

TEST(Job, parts_map_into_the_whole) {
    double seen = -1;
    JobContext job;
    job.progress = [&](double f, std::string_view) { seen = f; };
    job.part(0.5, 1).part(0, 0.5).report(1, "x");
    EXPECT_DOUBLE_EQ(seen, 0.75);
}

// The layers of the architecture: which modules each may include from. Everything from base to io knows no Qt.
TEST(Architecture, includes_go_one_way) {
    const std::map<std::string, std::set<std::string>> mayUse{
        {"base", {}},
        {"mesh", {"base"}},
        {"image", {"base", "mesh"}},
        {"measure", {"base", "mesh"}},
        {"reduce", {"base", "mesh", "measure"}},
        {"bake", {"base", "mesh", "measure", "image"}},
        {"switching", {"base", "mesh"}},
        {"terrain", {"base", "mesh", "switching"}},
        {"scatter", {"base", "mesh", "switching"}},
        {"strands", {"base", "mesh", "image", "switching", "scatter"}},
        {"emitters", {"base", "mesh", "image", "switching", "scatter"}},
        {"scene",
         {"base", "mesh", "measure", "reduce", "image", "bake", "switching", "terrain", "scatter", "strands",
          "emitters"}},
        {"budget", {"base", "mesh", "switching", "scene"}},
        {"io",
         {"base", "mesh", "measure", "reduce", "image", "bake", "switching", "terrain", "scatter", "strands",
          "emitters", "scene", "budget"}},
        {"cli",
         {"base", "mesh", "measure", "reduce", "image", "bake", "switching", "terrain", "scatter", "strands",
          "emitters", "scene", "budget", "io"}},
        {"appmodel",
         {"base", "mesh", "measure", "reduce", "image", "bake", "switching", "terrain", "scatter", "strands",
          "emitters", "scene", "budget", "io"}},
        {"app",
         {"base", "mesh", "measure", "reduce", "image", "bake", "switching", "terrain", "scatter", "strands",
          "emitters", "scene", "budget", "io", "appmodel"}}};
    const auto root = std::filesystem::path(SOURCE_ROOT) / "src";
    std::set<std::string> there;
    for (const auto& entry : std::filesystem::directory_iterator(root))
        if (entry.is_directory())
            there.insert(entry.path().filename().string());
    for (const std::string& module : there)
        EXPECT_TRUE(mayUse.contains(module)) << module << " has no place in the architecture";
    const std::regex include("#include [<\"]([a-zA-Z_]+)/");
    for (const auto& [module, allowed] : mayUse) {
        int files = 0;
        for (const auto& entry : std::filesystem::recursive_directory_iterator(root / module)) {
            if (!entry.is_regular_file() || (entry.path().extension() != ".h" && entry.path().extension() != ".cpp"))
                continue;
            ++files;
            std::ifstream in(entry.path());
            for (std::string line; std::getline(in, line);) {
                std::smatch match;
                if (std::regex_search(line, match, include) && there.contains(match[1])) {
                    EXPECT_TRUE(match[1] == module || allowed.contains(match[1])) << entry.path() << ": " << line;
                }
                const auto names = [&line](std::initializer_list<const char*> words) {
                    return line.starts_with("#include") &&
                           std::any_of(words.begin(), words.end(),
                                       [&line](const char* word) { return line.find(word) != std::string::npos; });
                };
                const bool model = module == "appmodel" || module == "app";
                EXPECT_FALSE(!model && names({"<Q", "qcustomplot"})) << entry.path() << ": " << line;
                EXPECT_FALSE(module == "appmodel" && names({"<QWidget", "<QMainWindow", "<QOpenGL", "<QDialog"}))
                    << entry.path() << ": " << line;
                EXPECT_FALSE(module != "cli" && names({"CLI/"})) << entry.path() << ": " << line;
            }
        }
        EXPECT_GT(files, 1) << module;
    }
}

TEST(Text, names_in_other_encodings_become_valid) {
    EXPECT_EQ(validUtf8("Quay \xC3\xA9\xE2\x82\xAC\xF0\x9F\x8C\xBE"), "Quay \xC3\xA9\xE2\x82\xAC\xF0\x9F\x8C\xBE");
    EXPECT_EQ(validUtf8("stra\xDF"
                        "e"),
              "stra\xEF\xBF\xBD"
              "e");                                                       // Latin-1
    EXPECT_EQ(validUtf8("\xC0\xAF"), "\xEF\xBF\xBD\xEF\xBF\xBD");         // overlong
    EXPECT_EQ(validUtf8("\xED\xA0\x80").size(), 9U);                      // a surrogate
    EXPECT_EQ(validUtf8("cut \xE2\x82"), "cut \xEF\xBF\xBD\xEF\xBF\xBD"); // ends too early
    EXPECT_EQ(validUtf8(""), "");
}

TEST(Memory, what_cannot_fit_is_refused_with_the_estimate) {
    EXPECT_TRUE(checkMemory(1e9, 2'000'000'000, "it"));
    EXPECT_TRUE(checkMemory(1e30, std::nullopt, "it")) << "nobody knows";
    const auto refused = checkMemory(37e9, 24'000'000'000, "recording 100,000,000 triangles");
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::TooLarge);
    EXPECT_NE(refused.error().text().find("needs about 37"), std::string::npos) << refused.error().text();
    EXPECT_NE(refused.error().text().find("24"), std::string::npos);
    ASSERT_TRUE(availableMemory());
    EXPECT_GT(*availableMemory(), 1'000'000U);
}

TEST(SortKeys, sorts_like_the_standard_one_at_any_size) {
    std::mt19937_64 random(5);
    for (const std::size_t size : {0, 1, 2, 65'535, 65'536, 65'537, 200'000, 262'144, 700'001}) {
        BigVector<std::uint64_t> keys(size);
        for (auto& key : keys)
            key = random() % (size + 1); // some stand twice
        auto expected = keys;
        std::sort(expected.begin(), expected.end());
        EXPECT_TRUE(sortKeys(keys, {}));
        EXPECT_EQ(keys, expected) << size;
    }
}

TEST(BigVector, keeps_what_is_in_it_and_puts_large_arrays_on_large_pages) {
    BigVector<std::uint32_t> numbers;
    for (std::uint32_t i = 0; i < 3'000'000; ++i) // small at first, then over the limit and on
        numbers.push_back(i);
    EXPECT_EQ(reinterpret_cast<std::uintptr_t>(numbers.data()) % PageAllocator<std::uint32_t>::kPage, 0U);
    for (std::uint32_t i = 0; i < numbers.size(); i += 977)
        EXPECT_EQ(numbers[i], i);
    const BigVector<std::uint32_t> copy = numbers;
    EXPECT_EQ(copy, numbers);
    numbers.resize(10);
    numbers.shrink_to_fit();
    EXPECT_EQ(numbers.back(), 9U);
    EXPECT_EQ(BigVector<int>(2'000'000, 7), BigVector<int>(2'000'000, 7));
#ifndef __SANITIZE_ADDRESS__ // which ends the program over such a wish
    EXPECT_THROW(BigVector<double>().reserve(BigVector<double>().max_size() / 2), std::bad_alloc);
#endif
}

TEST(Parallel, a_cancelled_job_leaves_out_what_has_not_begun) {
    std::stop_source stop;
    std::atomic<int> done = 0;
    const bool all = parallelChunks(100'000, 10, JobContext{stop.get_token(), {}}, [&](std::size_t, std::size_t) {
        if (++done == 50)
            stop.request_stop();
    });
    EXPECT_FALSE(all);
    EXPECT_LT(done, 1000);
    BigVector<std::uint64_t> keys(300'000, 1);
    EXPECT_FALSE(sortKeys(keys, {stop.get_token(), {}}));
}

TEST(Parallel, no_thread_begins_a_chunk_within_another) {
    static thread_local int within = 0;
    const tbb::global_control more(tbb::global_control::max_allowed_parallelism, 8); // than there may be cores
    tbb::task_arena arena(8);
    std::atomic<int> deepest = 0;
    std::atomic<int> done = 0;
    arena.execute([&] {
        parallelChunks(400, 1, [&](std::size_t, std::size_t) {
            const int now = ++within;
            for (int most = deepest; now > most && !deepest.compare_exchange_weak(most, now);) {
            }
            // One piece gives the others every chance to be done first, so that a thread waits for what another does of it.
            std::atomic<int> others = 0;
            parallelChunks(6, 1, [&](std::size_t i, std::size_t) {
                for (int chances = 400; i == 3 && others < 5 && chances > 0; --chances)
                    std::this_thread::yield();
                ++others;
            });
            --within;
            ++done;
        });
    });
    EXPECT_EQ(done, 400);
    EXPECT_EQ(deepest, 1);
}

TEST(GiveWay, a_thread_and_its_helpers_step_back_and_others_do_not) {
    const auto niceOf = [] { return getpriority(PRIO_PROCESS, static_cast<id_t>(gettid())); };
    const int own = niceOf();
    std::atomic<int> least = 100;
    std::mutex mutex;
    std::set<std::thread::id> helped;
    std::thread worker([&] {
        const GiveWay forOthers;
        const auto patience = std::chrono::steady_clock::now() + std::chrono::seconds(5);
        parallelChunks(64, 1, [&](std::size_t, std::size_t) {
            for (int now = least, here = niceOf(); here < now && !least.compare_exchange_weak(now, here);) {
            }
            // Until another thread has come to help, where there is one to come.
            const auto alone = [&] {
                const std::lock_guard lock(mutex);
                helped.insert(std::this_thread::get_id());
                return helped.size() < 2 && std::thread::hardware_concurrency() > 1;
            };
            while (alone() && std::chrono::steady_clock::now() < patience)
                std::this_thread::yield();
        });
    });
    worker.join();
    EXPECT_GE(least, 10);
    EXPECT_EQ(niceOf(), own);
}

} // namespace thicket
