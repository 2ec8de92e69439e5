#pragma once
// Judging switches: each is scored in the background, and again when what it depends on changes.

#include "appmodel/switching_model.h"
#include "appmodel/thin_model.h"
#include "scene/smooth.h"

#include <QTimer>

namespace thicket::app {

class PopsModel : public QObject {
    Q_OBJECT
public:
    PopsModel(Session& session, ThinModel& thin, SwitchingModel& switching);

    struct Pop {
        SwitchPlace place;
        std::shared_ptr<const PopScore> score;
        double severity = 0; ///< above 1 it is seen
    };
    /// What Switch says of itself: levels, allowances and pops.
    [[nodiscard]] StageState state() const;
    /// Scores, in the background, every switch that has no score as it is now; from then on changes are followed.
    void look();
    /// Those that have a score, worst first.
    [[nodiscard]] std::vector<Pop> pops() const;
    [[nodiscard]] int waiting() const { return m_waiting; }
    /// Ways to smooth a pop, each one step: a later switch, a longer cross-fade, a level in between, the materials of
    /// the level before.
    void smoothLater(std::uint32_t id, int level, double factor);
    void smoothByFade(std::uint32_t id, double seconds);
    void smoothByBand(std::uint32_t id, double width); ///< of a field: its copies switch so much sooner or later
    /// Moves the switch to a level, or without one all switches of the subjects, just as far away as nobody sees them.
    void smoothUnseen(const std::vector<std::uint32_t>& ids, std::optional<int> level);
    void smoothByLevel(std::uint32_t id, int finer, int coarser);
    void smoothByMaterials(std::uint32_t id, int finer, int coarser);

signals:
    void popsChanged();

private:
    void adopt(const Snapshot& start, const std::vector<std::pair<std::uint32_t, Smoothing>>& made);

    Session& m_session;
    ThinModel& m_thin;
    SwitchingModel& m_switching;
    std::vector<std::pair<PopKey, std::shared_ptr<const PopScore>>> m_scores;
    QTimer m_again; ///< a little after the last change
    bool m_wanted = false;
    int m_waiting = 0;
};

} // namespace thicket::app
