// Reads the command line; the one place where errors become messages and exit codes.
#include <CLI/CLI.hpp>
#include <iostream>

#include "base/error.h"
#include "cli/commands.h"

namespace ovrix::cli {

int run(const std::vector<std::string>& args, std::ostream& out, std::ostream& err) {
    CLI::App app("Ovrix without a window: everything that needs none.", "ovrix-cli");
    app.require_subcommand(1);
    app.set_version_flag("--version", "Ovrix " OVRIX_VERSION);
    Common common{false, out, err};
    int code = 0;
    app.add_flag("--json", common.json, "Results as JSON");
    app.fallthrough();

    std::string what, file, sceneOut;
    std::vector<std::string> assignments;
    double frame = 1;
    EvalArgs evalArgs;
    RenderArgs renderArgs;
    BakeArgs bakeArgs;
    BringArgs bringArgs;

    auto* d = app.add_subcommand("describe",
                                 "Every step, source and node with its parameters: unit, range, default");
    d->add_option("STEP", what, "Only this one");
    std::string reference;
    d->add_option("--reference", reference, "Write the pages of the reference into this folder");
    d->callback([&] { reference.empty() ? describe(common, what) : writeReference(common, reference); });

    auto* i = app.add_subcommand("info", "What a scene or a geometry file holds");
    i->add_option("FILE", file)->required();
    i->callback([&] { info(common, file); });

    auto* c = app.add_subcommand("check", "What would surprise you about a scene");
    c->add_option("SCENE", file)->required();
    c->add_option("--frame", frame);
    c->callback([&] { code = check(common, file, frame); });

    auto* e = app.add_subcommand("eval", "Writes what a layer makes");
    e->add_option("SCENE", evalArgs.scene)->required();
    e->add_option("--layer", evalArgs.layer, "Its id")->required();
    auto* evalOne = e->add_option("--frame", evalArgs.frame);
    e->add_option("--frames", evalArgs.frames, "A-B; each is a file of its own")->excludes(evalOne);
    e->add_flag("--mesh", evalArgs.mesh, "All copies as one mesh (.ply, .obj, .glb)");
    e->add_option("--purpose", evalArgs.purpose)->check(CLI::IsMember({"viewport", "render"}));
    e->add_option("--out", evalArgs.out,
                  "FILE.ply, .csv, .usda or .vdb; .obj or .glb for one mesh; #### stands for the frame")
        ->required();
    e->callback([&] { eval(common, evalArgs); });

    auto* b = app.add_subcommand(
        "bake", "Writes the frames of simulations beside the scene; goes on where it stopped");
    b->add_option("SCENE", bakeArgs.scene)->required();
    b->add_option("--layer", bakeArgs.layer, "Its id; all that simulate when none is named");
    b->add_option("--frames", bakeArgs.frames, "A-B; the scene's range when none is named");
    b->add_flag("--lock", bakeArgs.lock, "So that it is not baked over");
    b->callback([&] { bake(common, bakeArgs); });

    auto* s = app.add_subcommand("set", "Changes values of a scene");
    s->add_option("SCENE", file)->required();
    s->add_option("PATH=VALUE", assignments)->required();
    s->add_option("--out", sceneOut, "The new scene")->required();
    s->footer(
        "PATH is NODE/PARAMETER or NODE/STEP/PARAMETER, as describe and info name them:\n"
        "  ovrix-cli set pool.ovrix sun/elevation=4 --out late.ovrix\n"
        "  ovrix-cli set pool.ovrix rock/position=[0,1,0] moss/scatter/count=3000 "
        "moss/vary_size/size=0.2..0.8 --out "
        "new.ovrix");
    s->callback([&] { set(common, file, assignments, sceneOut); });

    auto* g =
        app.add_subcommand("bring-in", "Takes layers and objects of another scene, with what they need");
    g->add_option("SCENE", bringArgs.scene)->required();
    g->add_option("--from", bringArgs.from, "The other scene")->required();
    g->add_option("--nodes", bringArgs.nodes, "Their ids there")->required()->delimiter(',');
    g->add_option("--bind", bringArgs.bind, "THERE=HERE: what stands here for what stays there")
        ->delimiter(',');
    g->add_flag("--only", bringArgs.only, "Nothing of what they need");
    g->add_option("--out", bringArgs.out, "The new scene")->required();
    g->callback([&] { bringIn(common, bringArgs); });

    auto* r = app.add_subcommand("render", "Renders a scene");
    r->add_option("SCENE", renderArgs.scene)->required();
    auto* one = r->add_option("--frame", renderArgs.frame);
    r->add_option("--frames", renderArgs.frames, "A-B")->excludes(one);
    r->add_option("--camera", renderArgs.camera, "Its id");
    r->add_option("--size", renderArgs.size, "WxH");
    r->add_option("--samples", renderArgs.samples)->check(CLI::Range(1, 1048576));
    r->add_option("--region", renderArgs.region, "X,Y,W,H in pixels; the rest stays black");
    r->add_option("--threads", renderArgs.threads)->check(CLI::Range(1, 1024));
    r->add_option("--depth", renderArgs.depth, "Of the file's numbers")
        ->check(CLI::IsMember({"8", "16", "half", "float"}));
    r->add_flag("--draft", renderArgs.draft, "Only the share of each layer that Draft shows");
    r->add_option("--out", renderArgs.out, "NAME.exr, .tif or .png; #### stands for the frame")->required();
    r->callback([&] { render(common, renderArgs); });

    try {
        std::vector<std::string> reversed(args.rbegin(), args.rend());
        app.parse(reversed);
    } catch (const CLI::ParseError& problem) {
        const bool asked = problem.get_exit_code() == 0;  // --help and --version
        app.exit(problem, out, err);
        return asked ? 0 : 2;
    } catch (const std::exception& problem) {
        err << "ovrix-cli: " << problemOf(problem) << "\n";
        return 1;
    }
    return code;
}

}  // namespace ovrix::cli
