#pragma once
// Budget: the device, the route, the audit, the fit.

#include "appmodel/session.h"
#include "appmodel/stage.h"
#include "budget/compare.h"
#include "budget/fit.h"
#include "budget/notes.h"
#include "budget/sweep.h"

namespace thicket::app {

/// What is worked out of an audit once, beside the window.
struct AuditFindings {
    Pacing pacing;
    std::vector<std::size_t> moments; ///< the worst, by frame
    std::vector<BudgetNote> notes;
};

class BudgetModel : public QObject {
    Q_OBJECT
public:
    explicit BudgetModel(Session& session);

    [[nodiscard]] StageState state() const;
    void setDevice(std::size_t index);
    /// All of them, and which one counts: one undo step.
    void setDevices(std::vector<Device> devices, std::size_t index);
    /// The route that is flown; null when there is none.
    [[nodiscard]] const Route* route() const;
    [[nodiscard]] bool hasRoute() const { return route() != nullptr && route()->length() > 0; }
    void runAudit();
    [[nodiscard]] const Audit* audit() const { return m_audit ? &*m_audit : nullptr; }
    [[nodiscard]] bool auditStale() const { return m_stale; }
    /// Of that audit.
    [[nodiscard]] const AuditFindings& findings() const { return m_findings; }

    /// Looks for what holds the route's budget on the present device; nothing changes until it is kept.
    void runFit();
    /// What was found last, for the scene as it is; null: nothing, or the scene changed since.
    [[nodiscard]] const Fit* fit() const { return m_fit ? &*m_fit : nullptr; }
    /// One undo step.
    void keepFit();
    void dropFit();
    /// A subject stays as it is in fits from now on, or may be loosened again; a fit that is shown is made anew.
    void leaveOut(std::uint32_t subject, bool out);
    [[nodiscard]] bool leftOut(std::uint32_t subject) const { return m_leftOut.contains(subject); }
    /// Takes back what a fit did to a subject on the present device, or with 0 to all.
    void freeFitted(std::uint32_t subject);

    /// Looks all round everywhere, on the present device.
    void runSweep(const SweepOptions& options);
    /// What that found, until the scene changes or it is put away; null: nothing.
    [[nodiscard]] const Sweep* sweep() const { return m_sweep ? &*m_sweep : nullptr; }
    void dropSweep();
    /// Its places as a table.
    void saveSweep(const QString& file);

    /// Keeps the audit that there is by a name, beside the project.
    void keepAudit(const QString& name);
    /// Names of those that were kept with this project, as last looked up.
    [[nodiscard]] const QStringList& keptAudits() const { return m_kept; }
    void removeKept(const QString& name);
    /// Compares with one that was kept, or with a file of an audit; audits to come too, until it is put away.
    void compareWithKept(const QString& name);
    void compareWith(const QString& file);
    void putBaselineAway();
    /// What is compared with; null: nothing.
    [[nodiscard]] const AuditBaseline* baseline() const { return m_baseline ? &*m_baseline : nullptr; }
    [[nodiscard]] const QString& baselineName() const { return m_baselineName; }
    /// The same where the audit can be held against it: of the same route on the same device.
    [[nodiscard]] const AuditBaseline* compared() const { return m_baseline && m_worse ? &*m_baseline : nullptr; }
    /// What got worse against it by more than a twentieth; a reason instead when the two cannot be compared.
    [[nodiscard]] const Result<std::vector<Worse>>& worse() const { return m_worse; }

signals:
    void baselineChanged();
    void auditChanged();
    void fitChanged();
    void sweepChanged();

private:
    Session& m_session;
    std::optional<Audit> m_audit;
    bool m_stale = false;
    AuditFindings m_findings;
    std::optional<Fit> m_fit;
    AuditFindings m_fitFindings;       ///< of the route as it is fitted
    std::set<std::uint32_t> m_leftOut; ///< of this sitting
    std::optional<Sweep> m_sweep;
    void lookUpKept();
    void compare();
    QStringList m_kept;
    std::optional<AuditBaseline> m_baseline;
    QString m_baselineName;
    Result<std::vector<Worse>> m_worse = std::vector<Worse>();
    std::filesystem::path m_keptBeside; ///< the project whose names are listed
    bool m_keeping = false;             ///< the change at hand is the fit's own
};

} // namespace thicket::app
