#pragma once
// Thin: records, levels and what every cut holds to.

#include "appmodel/record_store.h"
#include "appmodel/session.h"
#include "appmodel/stage.h"

#include <atomic>
#include <map>
#include <mutex>

namespace thicket::app {

class ThinModel : public QObject {
    Q_OBJECT
public:
    explicit ThinModel(Session& session);

    [[nodiscard]] StageState state() const;

    void thinToRole(std::uint32_t id);
    /// Several at once: one job, one step.
    void thinToRoles(const std::vector<std::uint32_t>& ids);
    /// Meshes that have no coarser level yet, and thinning all of them to their roles as one job and one step.
    [[nodiscard]] std::vector<std::uint32_t> notThinned() const;
    void thinTheRest();
    void setRole(std::uint32_t id, Role role);
    /// What the roles of this project ask for from now on; levels that are there stay.
    void setRoleRules(const RoleRules& rules);
    /// What new projects begin with, and this one while it is still empty.
    void setRolesForNew(const RoleRules& rules);
    [[nodiscard]] const RoleRules& rolesForNew() const { return m_rolesForNew; }

    /// While a pin is dragged: cuts at once in the background, latest wins; `commit` measures and makes the undo step.
    /// With `keepSwitch` it still comes in where it does now, as one that was set by hand.
    void cutLevelTo(std::uint32_t id, int level, double triangles, bool commit, bool keepSwitch = false);
    /// The level being dragged, not yet in the scene; null when none of this subject is.
    [[nodiscard]] std::shared_ptr<const Mesh> dragMesh(std::uint32_t id) const {
        return id == m_drag.subject ? m_drag.mesh : nullptr;
    }
    [[nodiscard]] int dragLevel(std::uint32_t id) const { return id == m_drag.subject ? m_drag.level : -1; }
    void dropDrag();

    void addLevel(std::uint32_t id, double triangles);
    /// A level whose deviation is what is allowed at a distance.
    /// ERRORS     as a message.
    void addLevelFor(std::uint32_t id, double metres);
    /// Rebuilds the subject in triangles of one size as a level; 0: a quarter of the last one's count.
    void addRebuilt(std::uint32_t id, double triangles);
    /// Bakes crossed cards as a level, its pictures as tall as they need be where it comes in.
    void addCards(std::uint32_t id, int cards);
    /// Bakes a grid of views on one rectangle as a level.
    void addImpostor(std::uint32_t id);
    /// Adds files' finest meshes to a subject as levels made by hand.
    void addHandMade(std::uint32_t id, const QStringList& paths);
    /// Gives a cut level lighter materials than its subject's.
    void setMaterials(std::uint32_t id, int level, const MaterialChoice& choice);
    void removeLevel(std::uint32_t id, int level);
    void setLocked(std::uint32_t id, int level, bool locked);
    /// Writes one level as OBJ, for editing by hand.
    void saveObj(std::uint32_t id, int level, const QString& file, bool quads);
    /// What every cut holds to. Levels already cut are cut anew, as one step.
    void setCutRules(std::uint32_t id, const CutRules& rules);
    /// As last asked for, also while the job that brings it about still runs.
    [[nodiscard]] CutRules cutRules(std::uint32_t id) const;
    /// Cuts the levels of a subject again at their counts, with what is painted now.
    void recut(std::uint32_t id);
    /// Cuts levels that have no meshes, of a project that was just opened or a source that was found again.
    void restore(std::uint32_t id);

    [[nodiscard]] bool hasRecord(std::uint32_t id) const;
    [[nodiscard]] const RecordStore& records() const { return m_records; }
    void forgetRecords() { m_records.clear(); }
    /// The record of a subject, made when there is none. One is made at a time: whoever asks for the one that is in the
    /// making waits for it.
    /// THREADS    a job's.
    Result<ThinState> recordFor(const Subject& subject, const JobContext& job);
    /// Makes the record of a subject that has cut levels but none, as after opening a project, so that it is there when
    /// its first pin is dragged. Beside all other jobs, and given up for the record of any other subject.
    void recordAhead(std::uint32_t id);

signals:
    void dragChanged();
    void cutRulesChanged();

private:
    void thin(const std::vector<std::uint32_t>& ids, const QString& title, const std::string& label, const QString& key,
              const std::optional<CutRules>& rules = std::nullopt);
    void commitLevel(std::uint32_t id, int level, double triangles, bool insert, bool keepSwitch = false);
    void edit(const Subject& after, const std::string& label) {
        m_session.document.push(changeSubject(m_session.scene(), after, label));
    }
    /// A mesh whose source is there; null otherwise.
    [[nodiscard]] const Subject* whole(std::uint32_t id) const;
    /// The same where it has a level of that number; `first` is the lowest that is asked for.
    [[nodiscard]] const Subject* withLevel(std::uint32_t id, int level, int first) const;

    Session& m_session;
    RecordStore m_records;
    RoleRules m_rolesForNew;
    std::map<std::uint32_t, CutRules> m_rulesAsked; ///< by jobs that are not over yet
    std::timed_mutex m_making;                      ///< held by who makes a record
    std::atomic<std::uint32_t> m_aheadOf = 0;       ///< the subject whose record is made ahead, or none
    struct {
        std::uint32_t subject = 0;
        int level = -1;
        std::shared_ptr<const Mesh> mesh;
    } m_drag;
    JobQueue m_ahead; ///< last: what it runs uses the rest
};

} // namespace thicket::app
