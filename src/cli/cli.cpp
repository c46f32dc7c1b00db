// Reads the command line; the one place where errors become messages and exit codes.
#include <CLI/CLI.hpp>
#include <iostream>

#include "base/error.h"
#include "cli/commands.h"
#include "io/video/video_writer.h"

namespace ovrix::cli {

namespace {

/// All that may be said, each command with what it takes.
class CommandLine {
  public:
    CommandLine(std::ostream& out, std::ostream& err) : common_{false, out, err} {
        app_.require_subcommand(1);
        app_.set_version_flag("--version", "Ovrix " OVRIX_VERSION);
        app_.add_flag("--json", common_.json, "Results as JSON");
        app_.fallthrough();
        addLooking();
        addEval();
        addBake();
        addSet();
        addBringIn();
        addRender();
        addFilm();
        addFinish();
        addQueue();
        addDenoise();
    }
    int run(const std::vector<std::string>& args) {
        try {
            app_.parse(std::vector<std::string>(args.rbegin(), args.rend()));
        } catch (const CLI::ParseError& problem) {
            const bool asked = problem.get_exit_code() == 0;  // --help and --version
            app_.exit(problem, common_.out, common_.err);
            return asked ? 0 : 2;
        } catch (const std::exception& problem) {
            common_.err << "ovrix-cli: " << problemOf(problem) << "\n";
            return 1;
        }
        return code_;
    }

  private:
    void addLooking() {
        auto* d = app_.add_subcommand(
            "describe", "Every step, source and node with its parameters: unit, range, default");
        d->add_option("STEP", what_, "Only this one");
        d->add_option("--reference", reference_, "Write the pages of the reference into this folder");
        d->callback(
            [this] { reference_.empty() ? describe(common_, what_) : writeReference(common_, reference_); });
        auto* i = app_.add_subcommand("info", "What a scene or a geometry file holds");
        i->add_option("FILE", file_)->required();
        i->callback([this] { info(common_, file_); });
        auto* c = app_.add_subcommand("check", "What would surprise you about a scene");
        c->add_option("SCENE", file_)->required();
        c->add_option("--frame", frame_);
        c->callback([this] { code_ = check(common_, file_, frame_); });
    }
    void addEval() {
        auto* e = app_.add_subcommand("eval", "Writes what a layer makes");
        e->add_option("SCENE", eval_.scene)->required();
        e->add_option("--layer", eval_.layer, "Its id")->required();
        auto* one = e->add_option("--frame", eval_.frame);
        e->add_option("--frames", eval_.frames, "A-B; each is a file of its own")->excludes(one);
        e->add_flag("--mesh", eval_.mesh, "All copies as one mesh (.ply, .obj, .glb)");
        e->add_option("--purpose", eval_.purpose)->check(CLI::IsMember({"viewport", "render"}));
        e->add_option("--out", eval_.out,
                      "FILE.ply, .csv, .usda or .vdb; .obj or .glb for one mesh; #### stands for the frame")
            ->required();
        e->callback([this] { eval(common_, eval_); });
    }
    void addBake() {
        auto* b = app_.add_subcommand(
            "bake", "Writes the frames of simulations beside the scene; goes on where it stopped");
        b->add_option("SCENE", bake_.scene)->required();
        b->add_option("--layer", bake_.layer, "Its id; all that simulate when none is named");
        b->add_option("--frames", bake_.frames, "A-B; the scene's range when none is named");
        b->add_flag("--lock", bake_.lock, "So that it is not baked over");
        b->callback([this] { bake(common_, bake_); });
    }
    void addSet() {
        auto* s = app_.add_subcommand("set", "Changes values of a scene");
        s->add_option("SCENE", file_)->required();
        s->add_option("PATH=VALUE", assignments_)->required();
        s->add_option("--out", sceneOut_, "The new scene")->required();
        s->footer(
            "PATH is NODE/PARAMETER or NODE/STEP/PARAMETER, as describe and info name them:\n"
            "  ovrix-cli set pool.ovrix sun/elevation=4 --out late.ovrix\n"
            "  ovrix-cli set pool.ovrix rock/position=[0,1,0] moss/scatter/count=3000 "
            "moss/vary_size/size=0.2..0.8 --out "
            "new.ovrix");
        s->callback([this] { set(common_, file_, assignments_, sceneOut_); });
    }
    void addBringIn() {
        auto* g =
            app_.add_subcommand("bring-in", "Takes layers and objects of another scene, with what they need");
        g->add_option("SCENE", bring_.scene)->required();
        g->add_option("--from", bring_.from, "The other scene")->required();
        g->add_option("--nodes", bring_.nodes, "Their ids there")->required()->delimiter(',');
        g->add_option("--bind", bring_.bind, "THERE=HERE: what stands here for what stays there")
            ->delimiter(',');
        g->add_flag("--only", bring_.only, "Nothing of what they need");
        g->add_option("--out", bring_.out, "The new scene")->required();
        g->callback([this] { bringIn(common_, bring_); });
    }
    void addRender() {
        auto* r = app_.add_subcommand("render", "Renders a scene");
        r->add_option("SCENE", render_.scene)->required();
        auto* one = r->add_option("--frame", render_.frame);
        auto* range = r->add_option("--frames", render_.frames, "A-B")->excludes(one);
        r->add_option("--camera", render_.camera, "Its id");
        r->add_option("--size", render_.size, "WxH");
        r->add_option("--samples", render_.samples)->check(CLI::Range(1, 1048576));
        r->add_option("--region", render_.region, "X,Y,W,H in pixels; the rest stays black");
        r->add_option("--threads", render_.threads)->check(CLI::Range(1, 1024));
        r->add_option("--depth", render_.depth, "Of the file's numbers")
            ->check(CLI::IsMember({"8", "16", "half", "float"}));
        r->add_flag("--draft", render_.draft, "Only the share of each layer that Draft shows");
        r->add_flag("--check", render_.ahead,
                    "Says how long it takes and what would spoil it, and renders nothing");
        r->add_flag("--pieces", render_.pieces,
                    "Renders an EXR that is larger than the memory limit a band of rows after another");
        r->add_flag("--missing", render_.missing, "Only frames whose pictures are not there yet")
            ->needs(range);
        auto* clean = r->add_flag("--denoise", render_.denoise,
                                  "Take the noise out of each picture; EXR keeps it beside");
        r->add_flag("--steady", render_.steady,
                    "Go by the three frames before, too, along what moves: what noise is left flickers less")
            ->needs(clean)
            ->needs(range);
        r->add_option("--passes", render_.passes, "A-B: only these, from 1 on; the film has them");
        r->add_option("--film", render_.film,
                      "NAME.film: keeps what is rendered, and goes on with what is there");
        r->add_option("--out", render_.out,
                      "NAME.exr, .tif or .png; #### stands for the frame. Or NAME.mp4 or .mov, a video");
        r->add_option("--codec", render_.codec, "Of a video; FFV1 in .mkv, else H.264 where nothing is said")
            ->check(CLI::IsMember(videoCodecNames()));
        r->add_option("--verify", render_.verify,
                      "NAME.exr that was rendered before: a part is rendered again and compared");
        r->callback([this] {
            if (render_.out.empty() == render_.verify.empty()) throw CLI::RequiredError("--out or --verify");
            render(common_, render_);
        });
    }
    void addDenoise() {
        auto* d = app_.add_subcommand("denoise", "Takes the noise out of a picture");
        d->add_option("FILE", denoise_.file, "An EXR; with albedo and normal it keeps its edges")->required();
        d->add_option("--out", denoise_.out, "NAME.exr; what there was stays in it as noisy")->required();
        d->add_flag(
            "--clean-guides", denoise_.guides,
            "Clean albedo and normal first: three times the work, for guides that are noisy themselves");
        d->callback([this] { denoiseFile(common_, denoise_); });
    }
    void addFinish() {
        auto* f = app_.add_subcommand("finish", "Runs a scene's finish over a picture that was rendered");
        f->add_option("SCENE", finish_.scene, "Has the steps, and the camera")->required();
        f->add_option("PICTURE", finish_.picture, "NAME.film, or NAME.exr with its passes")->required();
        f->add_option("--frame", finish_.frame, "That it is of, where the file does not say");
        f->add_option("--camera", finish_.camera, "Its id, where it is not the render's own");
        f->add_flag("--denoise", finish_.denoise, "Take the noise out of a film first");
        f->add_option("--out", finish_.out, "NAME.png or .tif for a screen; NAME.exr for linear light")
            ->required();
        f->callback([this] { finishFile(common_, finish_); });
    }
    void addQueue() {
        auto* q =
            app_.add_subcommand("queue", "Renders that wait: adds to them, tells of them, works them off");
        const auto action = [&](const char* name, const char* help, bool job) {
            auto* a = q->add_subcommand(name, help);
            a->add_option("QUEUE", queue_.file, "NAME.queue")->required();
            if (job) a->add_option("JOB", queue_.job, "Its id")->required();
            a->callback([this, name = std::string(name)] {
                queue_.action = name;
                queue(common_, queue_);
            });
            return a;
        };
        q->require_subcommand(1);
        auto* add = action("add", "Puts a render at the end", false);
        add->add_option("SCENE", queue_.scene)->required();
        add->add_option("--out", queue_.out, "As render has it: a picture, NAME.####.exr, or a video")
            ->required();
        add->add_option("--frames", queue_.frames, "A-B");
        add->add_option("--camera", queue_.camera, "Its id");
        add->add_option("--size", queue_.size, "WxH");
        add->add_option("--samples", queue_.samples)->check(CLI::Range(1, 1048576));
        add->add_option("--noise", queue_.noise, "Where it has less, it is worked on no further; 0 to 1")
            ->check(CLI::Range(0.0, 1.0));
        add->add_flag("--noisy", queue_.noisy, "Leave the noise in");
        add->add_flag("--unsteady", queue_.unsteady,
                      "Denoise each frame by itself: edges of light flicker more");
        add->add_flag("--unfinished", queue_.unfinished, "Leave the scene's finish out");
        add->add_option("--set", queue_.changes, "NODE/PARAMETER=VALUE: what is other than in the scene");
        add->add_option("--codec", queue_.codec, "Of a video")->check(CLI::IsMember(videoCodecNames()));
        add->add_option("--name", queue_.name, "As it is listed");
        action("list", "What waits, works and is done", false);
        action("run", "Works on it until nothing is left; Ctrl+C keeps what there is", false);
        for (const char* name : {"pause", "resume"})
            action(name, "One job, or all of them without one", false)
                ->add_option("JOB", queue_.job, "Its id");
        action("retry", "A job that failed, and its frames that are stale", true);
        action("again", "All frames of a job", true);
        action("first", "Puts a job before all others", true);
        action("remove", "Takes a job out; its pictures stay", true);
    }
    void addFilm() {
        auto* f = app_.add_subcommand("film", "Adds up films of one picture, or tells what is in them");
        f->add_option("FILMS", film_.films, "Made by render --film")->required();
        f->add_option("--out", film_.out, "NAME.film, or a picture: NAME.exr, .tif or .png");
        f->add_option("--depth", film_.depth, "Of a picture's numbers")
            ->check(CLI::IsMember({"8", "16", "half", "float"}));
        f->add_flag("--denoise", film_.denoise, "Take the noise out of the picture; EXR keeps it beside");
        f->callback([this] { film(common_, film_); });
    }

    CLI::App app_{"Ovrix without a window: everything that needs none.", "ovrix-cli"};
    Common common_;
    int code_ = 0;
    std::string what_, reference_, file_, sceneOut_;
    std::vector<std::string> assignments_;
    double frame_ = 1;
    EvalArgs eval_;
    RenderArgs render_;
    FilmArgs film_;
    DenoiseArgs denoise_;
    FinishArgs finish_;
    QueueArgs queue_;
    BakeArgs bake_;
    BringArgs bring_;
};

}  // namespace

int run(const std::vector<std::string>& args, std::ostream& out, std::ostream& err) {
    return CommandLine(out, err).run(args);
}

}  // namespace ovrix::cli
