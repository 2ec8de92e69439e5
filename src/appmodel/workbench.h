#pragma once
// What a user can do: every action of the window as a function, with its job, its edit and its error.

#include "appmodel/document.h"
#include "appmodel/job_queue.h"
#include "budget/audit.h"
#include "io/read_chain.h"
#include "io/ship.h"
#include "measure/heat.h"
#include "scene/smooth.h"
#include "scene/thin_subject.h"

#include <QImage>
#include <QStringList>
#include <QTimer>
#include <map>
#include <mutex>

namespace thicket::app {

enum class Stage { Gather, Thin, Switch, Budget, Ship };

class Workbench : public QObject {
    Q_OBJECT
public:
    explicit Workbench(QObject* parent = nullptr);
    ~Workbench() override;

    Document document;

    [[nodiscard]] const Scene& scene() const { return document.scene(); }
    [[nodiscard]] JobQueue& jobs() { return m_jobs; }

    // Selection
    [[nodiscard]] std::uint32_t subjectId() const { return m_subject; }
    [[nodiscard]] const Subject* subject() const { return scene().find(m_subject); }
    [[nodiscard]] int level() const { return m_level; }
    void selectSubject(std::uint32_t id);
    void selectLevel(int level);

    // Files
    void newProject();
    void openProject(const QString& path);
    /// Meshes are added to the scene; a project file replaces it.
    void openFiles(const QStringList& paths);
    void saveProject(const QString& path);
    /// Takes the autosaved state of a project (empty: one without a name) in place of the saved one.
    void recover(const QString& project, const QString& autosave);
    /// Says recoveryFound when work without a name was left behind by a crash.
    void lookForUnnamedWork();
    void relinkSource(std::uint32_t subject, const QString& file);
    void removeSubject(std::uint32_t id);
    void renameSubject(std::uint32_t id, const QString& name);

    // Thin
    void thinToRole(std::uint32_t id);
    /// Several at once: one job, one step.
    void thinToRoles(const std::vector<std::uint32_t>& ids);
    /// Subjects that have no coarser level yet, and thinning all of them to their roles as one job and one step.
    [[nodiscard]] std::vector<std::uint32_t> notThinned() const;
    void thinTheRest();
    void setRole(std::uint32_t id, Role role);
    /// What the roles of this project ask for from now on; levels that are there stay.
    void setRoleRules(const RoleRules& rules);
    /// What new projects begin with, and this one while it is still empty.
    void setRolesForNew(const RoleRules& rules);
    /// While a pin is dragged: cuts at once in the background, latest wins; `commit` measures and makes the undo step.
    /// With `keepSwitch` it still comes in where it does now, as one that was set by hand.
    void cutLevelTo(std::uint32_t id, int level, double triangles, bool commit, bool keepSwitch = false);
    void addLevel(std::uint32_t id, double triangles);
    /// Rebuilds the subject in triangles of one size as a level; 0: a quarter of the last one's count.
    void addRebuilt(std::uint32_t id, double triangles);
    /// Writes one level as OBJ, for editing by hand.
    void saveObj(std::uint32_t id, int level, const QString& file, bool quads);
    /// Bakes crossed cards as a level, its pictures as tall as they need be where it comes in.
    void addCards(std::uint32_t id, int cards);
    /// Bakes a grid of views on one rectangle as a level.
    void addImpostor(std::uint32_t id);
    /// Adds files' finest meshes to a subject as levels made by hand.
    void addHandMade(std::uint32_t id, const QStringList& paths);
    /// Gives a cut level lighter materials than its subject's.
    void setMaterials(std::uint32_t id, int level, const MaterialChoice& choice);
    void removeLevel(std::uint32_t id, int level);
    /// What every cut holds to. Levels already cut are cut anew, as one step.
    void setCutRules(std::uint32_t id, const CutRules& rules);
    /// As last asked for, also while the job that brings it about still runs.
    [[nodiscard]] CutRules cutRules(std::uint32_t id) const;
    void setLocked(std::uint32_t id, int level, bool locked);
    [[nodiscard]] bool hasRecord(std::uint32_t id) const;
    /// The level being dragged, not yet in the scene; null when none is.
    [[nodiscard]] std::shared_ptr<const Mesh> dragMesh() const { return m_dragMesh; }
    [[nodiscard]] int dragLevel() const { return m_dragLevel; }

    // Switch
    void setRule(std::uint32_t id, const SwitchRule& rule, const QString& label, const QString& mergeKey = {});
    void setSwitchDistance(std::uint32_t id, int level, double metres, const QString& mergeKey = {});
    void clearSwitch(std::uint32_t id, int level);
    /// Decides by another unit: switches set by hand are written in it, at the same distances.
    void setDecideBy(std::uint32_t id, DecideBy unit);
    void setStatedView(double fovDegrees, int lines);
    /// Metres; the far plane is kept behind the near one.
    void setPlanes(double nearest, double farthest);
    /// Adds the stated view to the list under a name, or takes one of those out again.
    void keepStatedView(const QString& name);
    void dropStatedView(const QString& name);
    // Context: factors on how far switches come in
    void setDetail(double factor);
    void setDeviceDetail(double factor); ///< of the chosen device
    void setCopyImportance(std::uint32_t placement, double factor);
    void setHalfSpeed(double metresPerSecond); ///< 0: speed does nothing
    void setCullHidden(bool on);
    /// A level whose deviation is what is allowed at a distance. ERRORS as a message.
    void addLevelFor(std::uint32_t id, double metres);

    // Pops
    struct Pop {
        SwitchPlace place;
        int finer = 0; ///< the level shown before
        std::shared_ptr<const PopScore> score;
        double severity = 0; ///< above 1 it is seen
    };
    /// Scores, in the background, every switch that has no score as it is now; from then on changes are followed.
    void lookAtPops();
    /// Those that have a score, worst first.
    [[nodiscard]] std::vector<Pop> pops() const;
    [[nodiscard]] int popsWaiting() const { return m_popsWaiting; }
    /// Ways to smooth a pop, each one step: a later switch, a longer cross-fade, a level in between, the materials of
    /// the level before.
    void smoothLater(std::uint32_t id, int level, double factor);
    void smoothByFade(std::uint32_t id, double seconds);
    /// Moves the switch to a level, or without one all switches of the subjects, just as far away as nobody sees them.
    void smoothUnseen(const std::vector<std::uint32_t>& ids, std::optional<int> level);
    void smoothByLevel(std::uint32_t id, int finer, int coarser);
    void smoothByMaterials(std::uint32_t id, int finer, int coarser);

    // Budget
    void setDevice(std::size_t index);
    /// Adds a key to the first route (made when there is none), four seconds after the last.
    void addRouteKey(const View& view);
    void clearRoute();
    [[nodiscard]] bool hasRoute() const { return !scene().routes.empty() && scene().routes.front().length() > 0; }
    void runAudit();
    [[nodiscard]] const Audit* audit() const { return m_audit ? &*m_audit : nullptr; }
    [[nodiscard]] bool auditStale() const { return m_auditStale; }

    // Ship
    void ship(const QString& folder, const ShipOptions& options);
    [[nodiscard]] const ShipReport* shipReport() const { return m_report ? &*m_report : nullptr; }

    // Care
    /// Care of every vertex of a mesh; null while it is worked out, then careChanged.
    [[nodiscard]] std::shared_ptr<const std::vector<float>> careValues(const std::shared_ptr<const Mesh>& mesh,
                                                                       const std::shared_ptr<const Care>& care);
    /// For pointing at a mesh; null while it is built, then careChanged.
    [[nodiscard]] std::shared_ptr<const SurfaceQuery> surfaceFor(const std::shared_ptr<const Mesh>& mesh);
    void layStroke(std::uint32_t id, const CareStroke& stroke);
    void clearCare(std::uint32_t id);
    /// Takes care from a grey picture, by the subject's UVs.
    void careFromMask(std::uint32_t id, const QString& file, CareStroke stroke);
    /// Cuts the levels of a subject again at their counts, with what is painted now.
    void recut(std::uint32_t id);

    /// A small picture of a mesh; null until it is made, then picturesChanged.
    [[nodiscard]] QImage picture(const std::shared_ptr<const Mesh>& mesh,
                                 const std::shared_ptr<const Surfaces>& surfaces);
    /// Where a level is off; null until it is worked out, then heatChanged.
    [[nodiscard]] std::shared_ptr<const Heat> heat(const Subject& subject, int level);

signals:
    void selectionChanged();
    void dragChanged();
    void cutRulesChanged();
    void auditChanged();
    void popsChanged();
    void shipChanged();
    void picturesChanged();
    void heatChanged();
    void careChanged();
    /// One clear message for the user; `serious` ones stay until dismissed.
    void message(const QString& text, bool serious);
    void recoveryFound(const QString& project, const QString& autosave);
    void projectOpened(const QString& path);

private:
    void report(const Error& error);
    void adoptSmoothed(const std::vector<std::pair<std::uint32_t, Smoothing>>& made);
    void adoptLoad(ProjectLoad load, const std::filesystem::path& path);
    void importFiles(const QStringList& paths);
    void importChains(const QStringList& paths);
    void adoptChains(const std::vector<ChainFile>& chains, QStringList problems);
    void commitLevel(std::uint32_t id, int level, double triangles, bool insert, bool keepSwitch = false);
    void thinOne(const Subject& subject, const std::string& label);
    void thin(const std::vector<Subject>& subjects, const QString& title, const std::string& label, const QString& key);
    void adoptThinned(const std::vector<std::pair<Subject, Subject>>& done, const std::string& label,
                      QStringList problems);
    Result<ThinState> recordFor(const Subject& subject, const JobContext& job);
    /// Runs `then` with the record of a subject, made first when there is none. On the jobs' thread.
    JobQueue::Finish withRecord(const Subject& subject, const JobContext& job,
                                const std::function<JobQueue::Finish(const ThinState&, const JobContext&)>& then);
    void dropStaleRecords();

    JobQueue m_jobs;
    JobQueue m_quick; ///< cuts while dragging: never behind anything
    JobQueue m_popJobs;
    JobQueue m_looks; ///< pictures, heat, care: what is worked out to be looked at
    std::uint32_t m_subject = 0;
    int m_level = 0;
    mutable std::mutex m_recordMutex;
    std::map<std::uint32_t, ThinState> m_records; // guarded by m_recordMutex
    RoleRules m_rolesForNew;
    std::map<std::uint32_t, CutRules> m_rulesAsked; ///< by jobs that are not over yet
    std::shared_ptr<const Mesh> m_dragMesh;
    int m_dragLevel = -1;
    std::vector<std::pair<PopKey, std::shared_ptr<const PopScore>>> m_popScores;
    QTimer m_popsAgain; ///< a little after the last change
    bool m_popsWanted = false;
    int m_popsWaiting = 0;
    std::optional<Audit> m_audit;
    bool m_auditStale = false;
    std::optional<ShipReport> m_report;
    std::map<const Mesh*, std::pair<std::weak_ptr<const Mesh>, QImage>> m_pictures;
    struct KeptHeat {
        std::weak_ptr<const Mesh> level;
        std::weak_ptr<const Mesh> source;
        std::shared_ptr<const Heat> heat;
    };
    std::map<const Mesh*, KeptHeat> m_heats;
    struct KeptCare {
        std::weak_ptr<const Mesh> mesh;
        std::weak_ptr<const Care> care;
        std::shared_ptr<const std::vector<float>> values;
    };
    std::map<std::pair<const Mesh*, const Care*>, KeptCare> m_care;
    std::weak_ptr<const Mesh> m_surfaceMesh;
    std::shared_ptr<const SurfaceQuery> m_surface;
};

} // namespace thicket::app
