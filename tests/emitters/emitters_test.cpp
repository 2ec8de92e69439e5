// Emitters: what a level inherits, the forecast against counted particles, boxes that hold them, what is refused.

#include "emitters/emitter_look.h"
#include "emitters/particles.h"

#include "switching/view.h"

#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <limits>
#include <numbers>
#include <random>

namespace thicket {
namespace {

EmitterPart part(const std::string& name, double rate) {
    EmitterPart out;
    out.name = name;
    out.rate = rate;
    return out;
}

/// Smoke and sparks: L1 halves the smoke's rate, L2 has no sparks, L3 shorter lives.
Emitter fire() {
    Emitter e;
    e.parts = {part("smoke", 20), part("sparks", 60)};
    e.parts[1].lifetime = {0.4, 0.9};
    e.parts[1].size = {0.02, 0.05};
    e.parts[1].pull = {0, -3, 0};
    e.parts[1].speed = {1, 3};
    e.levels.resize(4);
    for (std::size_t l = 0; l < 4; ++l) {
        e.levels[l].parts.resize(2);
        e.levels[l].from.value = 20.0 * static_cast<double>(l);
    }
    e.levels[1].parts[0].rate = 10;
    e.levels[2].parts[1].on = false;
    e.levels[3].parts[0].lifetime = Between{1, 2};
    return e;
}

EmitterPart wildPart(std::mt19937& dice) {
    const auto any = [&dice](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(dice);
    };
    EmitterPart p = part("wild", any(1, 80));
    p.lifetime.low = any(0.2, 2);
    p.lifetime.high = p.lifetime.low + any(0, 3);
    p.size.low = any(0, 1);
    p.size.high = p.size.low + any(0.01, 1);
    p.sizeAtBirth = any(0, 2);
    p.sizeAtEnd = any(0, 2);
    p.speed.low = any(0, 2);
    p.speed.high = p.speed.low + any(0, 3);
    p.direction = Vec3d(any(-1, 1), any(-1, 1), any(-1, 1)).normalized();
    p.spreadDegrees = any(0, 180);
    p.pull = Vec3d(any(-4, 4), any(-9, 4), any(-4, 4));
    p.from = Vec3d(any(0, 2), any(0, 1), any(0, 2));
    p.middle = Vec3d(any(-2, 2), any(-2, 2), any(-2, 2));
    if (dice() % 2 == 0) {
        p.burst = std::floor(any(1, 40));
        p.burstEvery = any(0.3, 2);
    }
    return p;
}

} // namespace

TEST(EmitterLevels, have_from_finer_ones_what_they_do_not_say) {
    const Emitter e = fire();
    const auto three = partsAt(e, 3);
    EXPECT_EQ(three[0].rate, 10);
    EXPECT_EQ(three[0].lifetime, (Between{1, 2}));
    EXPECT_FALSE(three[1].on);
    EXPECT_EQ(three[1].rate, 60);
    EXPECT_EQ(partsAt(e, 0), e.parts);
    EXPECT_EQ(saidBy(e, 3, 0, PartValue::Rate), 1U);
    EXPECT_EQ(saidBy(e, 3, 0, PartValue::Lifetime), 3U);
    EXPECT_EQ(saidBy(e, 3, 0, PartValue::Size), 0U);
    EXPECT_EQ(saidBy(e, 3, 1, PartValue::On), 2U);
    Emitter past = e;
    past.levels[3].inherits = 0;
    EXPECT_EQ(partsAt(past, 3)[0].rate, 20) << "it inherits from the source, past those between";
    EXPECT_TRUE(partsAt(past, 3)[1].on);
    Emitter cleared = e;
    for (const auto& value : kPartValues)
        cleared.levels[1].parts[0].clear(value.value);
    EXPECT_EQ(ownValues(cleared.levels[1]), 0U);
    EXPECT_EQ(partsAt(cleared, 1), e.parts);
}

TEST(EmitterLevels, the_next_one_gives_off_a_share) {
    Emitter e = fire();
    const double before = forecastOf(partsAt(e, 3)).live;
    e.levels.push_back(nextLevel(e, 0.4, 100));
    EXPECT_TRUE(checkEmitter(e, "fire"));
    EXPECT_NEAR(forecastOf(partsAt(e, 4)).live, 0.4 * before, 0.02 * before);
    EXPECT_EQ(ownValues(e.levels[4]), 1U) << "the sparks are off, and stay so";
}

TEST(Particles, are_as_many_and_as_large_as_forecast) {
    std::mt19937 dice(4);
    for (int round = 0; round < 12; ++round) {
        std::vector<EmitterPart> parts = {wildPart(dice), wildPart(dice)};
        const EmitterForecast forecast = forecastOf(parts);
        double live = 0;
        double area = 0;
        std::size_t most = 0;
        std::vector<Particle> out;
        constexpr int kMoments = 1500;
        for (int i = 0; i < kMoments; ++i) {
            particlesAt(parts, 7, 6 + 0.137 * i, -1e9, 1e9, out);
            live += static_cast<double>(out.size());
            most = std::max(most, out.size());
            for (const Particle& p : out)
                area += std::numbers::pi / 4 * static_cast<double>(p.size) * static_cast<double>(p.size);
        }
        EXPECT_NEAR(live / kMoments / forecast.live, 1, 0.02);
        EXPECT_NEAR(area / kMoments / forecast.area, 1, 0.03);
        EXPECT_LE(static_cast<double>(most), forecast.worst);
    }
}

TEST(Particles, stay_in_the_box_that_is_said_to_hold_them) {
    std::mt19937 dice(11);
    for (int round = 0; round < 40; ++round) {
        const std::vector<EmitterPart> parts = {wildPart(dice)};
        const Bounds box = particleBounds(parts);
        std::vector<Particle> out;
        for (int i = 0; i < 60; ++i) {
            particlesAt(parts, static_cast<std::uint32_t>(round), 5 + 0.31 * i, -1e9, 1e9, out);
            for (const Particle& p : out) {
                const Vec3d half = Vec3d::Constant(static_cast<double>(p.size) / 2);
                EXPECT_TRUE((p.place.cast<double>() - half - box.low).minCoeff() > -1e-4);
                EXPECT_TRUE((box.high - p.place.cast<double>() - half).minCoeff() > -1e-4);
            }
        }
    }
}

TEST(Particles, most_of_what_is_seen_lies_in_the_smaller_box) {
    const Emitter e = fire();
    const Bounds all = particleBounds(e.parts);
    const Bounds seen = seenBounds(e.parts, e.seed);
    EXPECT_LT(seen.diagonal(), all.diagonal());
    std::vector<Particle> out;
    int inside = 0;
    int count = 0;
    for (int i = 0; i < 40; ++i) {
        particlesAt(e.parts, e.seed, 9 + 0.53 * i, -1e9, 1e9, out);
        for (const Particle& p : out) {
            ++count;
            const Vec3d at = p.place.cast<double>();
            inside += (at - seen.low).minCoeff() > 0 && (seen.high - at).minCoeff() > 0 ? 1 : 0;
        }
    }
    EXPECT_GT(inside, 0.97 * count);
}

TEST(Particles, are_the_same_however_time_was_gone_to) {
    const Emitter e = fire();
    std::vector<Particle> once;
    std::vector<Particle> again;
    particlesAt(e.parts, 1, 7.5, -1e9, 1e9, once);
    particlesAt(e.parts, 1, 2, -1e9, 1e9, again);
    particlesAt(e.parts, 1, 7.5, -1e9, 1e9, again);
    ASSERT_EQ(once.size(), again.size());
    for (std::size_t i = 0; i < once.size(); ++i)
        EXPECT_EQ(once[i].place, again[i].place);
    particlesAt(e.parts, 2, 7.5, -1e9, 1e9, again);
    EXPECT_NE(once.front().place, again.front().place) << "another seed, another cloud";
}

TEST(Particles, of_before_and_after_a_moment_are_those_of_the_whole) {
    const Emitter e = fire();
    std::vector<Particle> all;
    std::vector<Particle> before;
    std::vector<Particle> after;
    particlesAt(e.parts, 1, 8, -1e9, 1e9, all);
    particlesAt(e.parts, 1, 8, -1e9, 7.3, before);
    particlesAt(e.parts, 1, 8, 7.3, 1e9, after);
    EXPECT_GT(before.size(), 0U);
    EXPECT_GT(after.size(), 0U);
    EXPECT_EQ(before.size() + after.size(), all.size());
    // A level that ended 20 seconds ago has nothing left.
    particlesAt(e.parts, 1, 28, -1e9, 8, before);
    EXPECT_TRUE(before.empty());
}

TEST(EmitterPops, a_level_that_differs_more_is_seen_more) {
    Emitter e = fire();
    e.parts[0].opacity = 0.5;
    const View view;
    const std::vector<double> from = {0, 20, 40, 60};
    const auto scored = [&](double rate) {
        e.levels[1].parts[0].rate = rate;
        const auto pops = emitterPops(e, from, view, {});
        EXPECT_TRUE(pops);
        return (*pops)[0];
    };
    const EmitterPop same = scored(20);
    EXPECT_EQ(same.deltaE, 0) << "nothing differs, and time is the same";
    EXPECT_EQ(same.coverChange(), 0);
    EXPECT_TRUE(same.unseen());
    const EmitterPop half = scored(10);
    const EmitterPop few = scored(2);
    EXPECT_GT(half.deltaE, 0.5);
    EXPECT_GT(few.deltaE, 1.5 * half.deltaE);
    EXPECT_LT(few.coverAfter, half.coverAfter);
    EXPECT_FALSE(few.unseen());
    // Wider puffs make up for fewer.
    e.levels[1].parts[0].size = Between{0.8 * std::sqrt(2), 1.2 * std::sqrt(2)};
    EXPECT_LT(scored(10).coverChange(), half.coverChange());
}

TEST(EmitterPops, a_disc_covers_what_it_covers) {
    EmitterPart one = part("one", 1);
    one.lifetime = {1, 1};
    one.size = {1, 1};
    one.sizeAtBirth = one.sizeAtEnd = 1;
    one.opacity = 1;
    one.fadeIn = 0;
    one.fadeOut = 1;
    one.from = {0, 0, 0};
    one.speed = {0, 0};
    for (const double metre : {60.0, 4.0, 0.6}) { // as small as less than a pixel
        const EmitterPicture picture = meanPicture({one}, 1, {{-1, -1, -1}, {1, 1, 1}}, metre);
        double cover = 0;
        for (const float c : picture.cover)
            cover += static_cast<double>(c);
        // A disc that falls off as (1 - r2)2 covers a third of its area; one is alive at any moment.
        const double expected = std::numbers::pi / 4 * metre * metre / 3;
        EXPECT_NEAR(cover / expected, 1, metre < 1 ? 0.2 : 0.06) << metre;
    }
}

TEST(EmitterForecast, overdraw_falls_with_the_square_of_the_distance) {
    const EmitterForecast forecast = forecastOf(fire().parts);
    const View view;
    EXPECT_NEAR(forecast.overdraw(10, view) / forecast.overdraw(40, view), 16, 1e-9);
    // One disc of a metre that lives on: its pixels by hand.
    EmitterPart one = part("one", 0.5);
    one.lifetime = {2, 2};
    one.size = {1, 1};
    one.sizeAtBirth = one.sizeAtEnd = 1;
    const double disc = std::numbers::pi / 4 * std::pow(view.pixelScale() / 20, 2);
    EXPECT_NEAR(forecastOf({one}).overdraw(20, view) * view.lines * view.lines * view.aspect, disc, 1e-6 * disc);
}

TEST(Emitters, what_cannot_be_is_refused_with_the_reason) {
    EXPECT_TRUE(checkEmitter(fire(), "fire"));
    struct Case {
        const char* says;
        std::function<void(Emitter&)> spoil;
    };
    const Case cases[] = {{"negative", [](Emitter& e) { e.parts[0].rate = -1; }},
                          {"no number", [](Emitter& e) { e.parts[0].rate = std::numeric_limits<double>::quiet_NaN(); }},
                          {"upside down",
                           [](Emitter& e) {
                               e.parts[1].lifetime = {3, 1};
                           }},
                          {"itself", [](Emitter& e) { e.levels[2].inherits = 2; }},
                          {"coarser", [](Emitter& e) { e.levels[1].inherits = 3; }},
                          {"there are 2", [](Emitter& e) { e.levels[1].parts.resize(3); }},
                          {"rise", [](Emitter& e) { e.levels[2].from.value = 1; }},
                          {"source", [](Emitter& e) { e.levels[0].parts[0].rate = 3; }},
                          {"forced", [](Emitter& e) { e.forced = 4; }},
                          {"particles at its worst", [](Emitter& e) { e.parts[0].rate = 1e12; }},
                          {"particles at its worst",
                           [](Emitter& e) {
                               e.levels[3].parts[0].lifetime = Between{3000, 3600};
                               e.parts[0].rate = 100;
                               e.levels[1].parts[0].rate = 100;
                           }},
                          {"0 parts", [](Emitter& e) { e.parts.clear(); }}};
    for (const Case& c : cases) {
        Emitter e = fire();
        c.spoil(e);
        const auto checked = checkEmitter(e, "fire.json");
        ASSERT_FALSE(checked) << c.says;
        EXPECT_NE(checked.error().text().find(c.says), std::string::npos) << checked.error().text();
    }
}

} // namespace thicket
