#pragma once
// All that a window works with: one session and a model a stage. Models know the session and those before them; what
// the window shows is read from them, what a person does is sent to them.

#include "appmodel/budget_model.h"
#include "appmodel/care_model.h"
#include "appmodel/emitter_model.h"
#include "appmodel/field_model.h"
#include "appmodel/files_model.h"
#include "appmodel/ground_model.h"
#include "appmodel/looks_model.h"
#include "appmodel/places_model.h"
#include "appmodel/pops_model.h"
#include "appmodel/route_model.h"
#include "appmodel/ship_model.h"
#include "appmodel/strand_model.h"
#include "appmodel/switching_model.h"
#include "appmodel/thin_model.h"

namespace thicket::app {

struct Workbench {
    Session session;
    ThinModel thin{session};
    FilesModel files{session, thin};
    CareModel care{session};
    LooksModel looks{session, thin};
    PlacesModel places{session};
    SwitchingModel switching{session};
    FieldModel fields{session};
    GroundModel grounds{session};
    StrandModel strands{session};
    EmitterModel emitters{session};
    PopsModel pops{session, thin, switching};
    RouteModel routes{session};
    BudgetModel budget{session};
    ShipModel shipping{session};

    Workbench() = default;
    Workbench(const Workbench&) = delete;
    Workbench& operator=(const Workbench&) = delete;
    /// Jobs use the models, so they end before any model goes.
    ~Workbench() { session.shutDown(); }

    [[nodiscard]] StageState stateOf(Stage stage) const {
        switch (stage) {
        case Stage::Gather:
            return files.state();
        case Stage::Thin:
            return thin.state();
        case Stage::Switch:
            return pops.state();
        case Stage::Budget:
            return budget.state();
        case Stage::Ship:
            return shipping.state();
        }
        return {};
    }
};

} // namespace thicket::app
