#include "app/viewport/cloud_maker.h"

#include <chrono>
#include <condition_variable>
#include <gtest/gtest.h>
#include <mutex>
#include <random>

namespace thicket::app {
namespace {

CloudWish wishAt(double seconds) {
    CloudWish out;
    CloudSource source;
    source.subject = 4;
    source.parts.resize(2);
    source.parts[0].rate = 400;
    source.parts[1].glows = true;
    source.sprites.resize(2);
    source.since = -1e12;
    source.until = 1e12;
    source.at.position = {3, 0, -2};
    out.sources = {source};
    source.subject = 9;
    source.at.position = {-3, 0, 2};
    out.sources.push_back(source);
    out.eye = {0, 2, 20};
    out.seconds = seconds;
    return out;
}

/// Hears when a cloud is there, and waits for the last one.
class Listener {
    std::mutex m_mutex;
    std::condition_variable m_ready;
    int m_heard = 0;

public:
    void wait() {
        std::unique_lock lock(m_mutex);
        m_ready.wait_for(lock, std::chrono::seconds(60), [this] { return !maker.waiting(); });
    }
    [[nodiscard]] int heard() {
        const std::lock_guard lock(m_mutex);
        return m_heard;
    }
    /// The last member: what it calls is there until it has ended.
    CloudMaker maker{[this] {
        const std::lock_guard lock(m_mutex);
        ++m_heard;
        m_ready.notify_all();
    }};
};

TEST(CloudMaker, the_last_wish_is_what_there_is_in_the_end) {
    Listener listener;
    CloudMaker& maker = listener.maker;
    CloudWish last;
    std::mt19937 dice(2);
    for (int i = 0; i < 200; ++i) {
        last = wishAt(10 + 0.1 * i);
        EXPECT_FALSE(maker.want(last).asIs) << "nobody waits for it";
        if (dice() % 8 == 0)
            listener.wait();
    }
    listener.wait();
    ASSERT_FALSE(maker.waiting());
    EXPECT_GT(listener.heard(), 0);
    const CloudMaker::Made made = maker.want(last);
    EXPECT_TRUE(made.asIs);
    ASSERT_TRUE(made.cloud);
    EXPECT_EQ(*made.cloud, *makeCloud(last));
    EXPECT_EQ(maker.want(last).cloud, made.cloud) << "and it is not made again";
}

TEST(CloudMaker, until_the_next_is_made_the_one_before_stays_and_nothing_is_there_at_once) {
    Listener listener;
    CloudMaker& maker = listener.maker;
    EXPECT_FALSE(maker.waiting());
    maker.want(wishAt(10));
    listener.wait();
    const auto before = maker.want(wishAt(10)).cloud;
    ASSERT_TRUE(before);
    const CloudMaker::Made meanwhile = maker.want(wishAt(11));
    EXPECT_FALSE(meanwhile.asIs);
    EXPECT_TRUE(meanwhile.cloud == before || *meanwhile.cloud == *makeCloud(wishAt(11)));
    const CloudMaker::Made nothing = maker.want(CloudWish());
    EXPECT_TRUE(nothing.asIs);
    EXPECT_FALSE(nothing.cloud);
    listener.wait();
    EXPECT_FALSE(maker.want(CloudWish()).cloud) << "what was asked for before it comes too late";
}

TEST(CloudMaker, dots_are_sorted_and_know_whose_they_are) {
    const CloudWish wish = wishAt(20);
    const auto cloud = makeCloud(wish);
    ASSERT_TRUE(cloud);
    ASSERT_EQ(cloud->owners.size(), cloud->dots.size());
    double before = 1e300;
    std::size_t counts[2] = {0, 0};
    for (std::size_t i = 0; i < cloud->dots.size(); ++i) {
        const ParticleDot& dot = cloud->dots[i];
        const double away = (Vec3d(dot.x, dot.y, dot.z) - wish.eye).norm();
        EXPECT_LE(away, before + 1e-4);
        before = away;
        ASSERT_TRUE(cloud->owners[i] == 4 || cloud->owners[i] == 9);
        ++counts[cloud->owners[i] == 4 ? 0 : 1];
        EXPECT_EQ(dot.x > 0, cloud->owners[i] == 4) << "each is round its own emitter";
    }
    EXPECT_GT(counts[0], 500U);
    EXPECT_GT(counts[1], 500U);
}

} // namespace
} // namespace thicket::app
