#pragma once
// Budget: the device, the route, the audit, the fit.

#include "appmodel/session.h"
#include "appmodel/stage.h"
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

signals:
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
    bool m_keeping = false; ///< the change at hand is the fit's own
};

} // namespace thicket::app
