#pragma once
// What settings cost and how much is seen of them, and the choice among them. Internal to the fit.

#include "base/job.h"
#include "budget/fit.h"

#include <set>

namespace thicket::detail {

/// What one subject takes of one frame.
struct Spent {
    double triangles = 0;
    double draws = 0;
    double geometryMs = 0;
    double pixelMs = 0;
    double drawMs = 0;

    Spent& operator+=(const Spent& o) {
        triangles += o.triangles;
        draws += o.draws;
        geometryMs += o.geometryMs;
        pixelMs += o.pixelMs;
        drawMs += o.drawMs;
        return *this;
    }
    Spent operator-(const Spent& o) const {
        return {triangles - o.triangles, draws - o.draws, geometryMs - o.geometryMs, pixelMs - o.pixelMs,
                drawMs - o.drawMs};
    }
};

Spent spentOf(const Device& device, const SubjectCost& cost);

/// Costs of all subjects at all settings in the frames that are weighed, and how far each is off.
struct FitTable {
    std::size_t subjects = 0;
    std::size_t settings = 0;
    std::size_t frames = 0;
    std::vector<double> times;          ///< by setting, subject: its allowance, finest first
    std::vector<Spent> spent;           ///< by setting, frame, subject
    std::vector<double> error;          ///< by setting, subject: pixels, the mean of the frames that show it
    std::vector<std::uint32_t> showing; ///< by subject: frames that show it, at the first setting

    [[nodiscard]] const Spent& at(std::size_t setting, std::size_t frame, std::size_t subject) const {
        return spent[(setting * frames + frame) * subjects + subject];
    }
    [[nodiscard]] double timesAt(std::size_t setting, std::size_t subject) const {
        return times[setting * subjects + subject];
    }
    [[nodiscard]] double errorAt(std::size_t setting, std::size_t subject) const {
        return error[setting * subjects + subject];
    }
};

/// Which setting each subject takes, so that all frames of a table are within a share of a device's budget with the least
/// visible error.
/// SOURCE     greedy steps by what they take of the excess for their price, then giving back and exchanging in pairs.
class FitSearch {
public:
    FitTable table;
    std::vector<std::size_t> chosen; ///< a setting a subject
    std::vector<bool> mayLoosen;     ///< a subject
    std::vector<double> importance;  ///< a subject
    std::set<FrameLimit> outOfReach; ///< limits that nothing is given for

    /// screenMs   what all pixels once take.
    FitSearch(const Device& device, double screenMs, const JobContext& job)
        : m_device(device), m_screenMs(screenMs), m_job(job) {}

    /// Chooses settings for an aim, the share of each budget; false where it is not reached.
    /// COST       a step looks at subjects * settings ahead * frames that are over.
    bool choose(double aim);
    [[nodiscard]] double priceOfAll() const;
    [[nodiscard]] double ms(const Spent& all) const;
    /// Leaves out the limits that are over and that the loosest settings bring less than half-way to what they may be:
    /// much would be seen of it, and they would not hold.
    void leaveOutOfReach();
    /// By frame, of all subjects.
    [[nodiscard]] std::vector<Spent> totals() const;

private:
    [[nodiscard]] bool weighs(FrameLimit limit) const { return !outOfReach.contains(limit); }
    [[nodiscard]] double excess(const Spent& all, double aim) const;
    [[nodiscard]] Spent withOther(const Spent& total, std::size_t frame, std::size_t s, std::size_t setting) const;
    [[nodiscard]] double price(std::size_t s, std::size_t setting) const;
    bool tighten(double aim);
    void giveBack(double aim);
    [[nodiscard]] double overBy(const std::vector<Spent>& total, double aim) const;
    template <class Amount> [[nodiscard]] std::vector<std::size_t> mostBy(const Amount& amount) const;
    bool exchange(double aim);

    const Device& m_device;
    double m_screenMs;
    const JobContext& m_job;
};

} // namespace thicket::detail
