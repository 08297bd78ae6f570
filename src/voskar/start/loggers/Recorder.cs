// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but the base class library.
//
//   var log = new Voskar.Recorder("play.jsonl", 60);
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.Pose("keeper", "keeper", x, y).With("facing", 1).With("clip", "run").With("tick", 12).With("health", 3);
//   log.Claim("hit").With("attacker", "hornet-1").With("target", "keeper").With("damage", 1);
//   log.EndFrame();
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in Problem.
using System;
using System.Collections.Generic;
using System.Diagnostics;
using System.Globalization;
using System.IO;
using System.Net.Sockets;
using System.Text;

namespace Voskar
{
    /// One pose, input, claim or entry of the display: With adds a field.
    public sealed class Entry
    {
        readonly List<string> fields = new List<string>(), boxes = new List<string>(), counters = new List<string>();

        public Entry With(string name, string value) { return Raw(name, Quoted(value)); }
        public Entry With(string name, bool value) { return Raw(name, value ? "true" : "false"); }
        public Entry With(string name, double value) { return Raw(name, Number(value)); }
        /// Aim or push.
        public Entry With(string name, double x, double y) { return Raw(name, "[" + Number(x) + "," + Number(y) + "]"); }
        /// Where the game itself has an open box, corners in the world.
        public Entry Box(string name, double x0, double y0, double x1, double y1)
        {
            boxes.Add(Quoted(name) + ":[" + Number(x0) + "," + Number(y0) + "," + Number(x1) + "," + Number(y1) + "]");
            return this;
        }
        /// Where the game itself has an open box that is round.
        public Entry Circle(string name, double x, double y, double r)
        {
            boxes.Add(Quoted(name) + ":{\"circle\":[" + Number(x) + "," + Number(y) + "," + Number(r) + "]}");
            return this;
        }
        /// Tags, or the two ids of a clash.
        public Entry List(string name, params string[] values)
        {
            var all = new List<string>();
            foreach (string one in values) all.Add(Quoted(one));
            return Raw(name, "[" + string.Join(",", all) + "]");
        }
        /// What one of its counters has come to.
        public Entry Counter(string name, double value) { counters.Add(Quoted(name) + ":" + Number(value)); return this; }
        Entry Raw(string name, string value) { fields.Add(Quoted(name) + ":" + value); return this; }

        internal string Text()
        {
            var all = string.Join(",", fields);
            if (counters.Count > 0) all += (all.Length > 0 ? "," : "") + "\"counters\":{" + string.Join(",", counters) + "}";
            if (boxes.Count > 0) all += (all.Length > 0 ? "," : "") + "\"boxes\":{" + string.Join(",", boxes) + "}";
            return "{" + all + "}";
        }
        internal static string Number(double value) { return value.ToString("R", CultureInfo.InvariantCulture); }
        internal static string Quoted(string text)
        {
            var told = new StringBuilder("\"");
            foreach (char one in text ?? "")
            {
                if (one == '"' || one == '\\') told.Append('\\').Append(one);
                else if (one < ' ') told.Append("\\u").Append(((int)one).ToString("x4"));
                else told.Append(one);
            }
            return told.Append('"').ToString();
        }
    }

    public sealed class Recorder : IDisposable
    {
        public string Problem { get; private set; }
        readonly List<Entry> poses = new List<Entry>(), inputs = new List<Entry>(), claims = new List<Entry>(), display = new List<Entry>();
        /// Frames that a slow reader has cost.
        public long Lost { get; private set; }
        /// What is logged is written after so many seconds, 0 for every frame.
        public double FlushSeconds = 0.1;
        const int MostWaiting = 4000000;
        readonly StringBuilder buffer = new StringBuilder();
        readonly Stopwatch since = Stopwatch.StartNew();
        StreamWriter file;
        Socket socket;
        byte[] waiting = new byte[0];
        string reset;
        long frame, dropped;

        /// More of the header as JSON: "\"up\":\"+y\",\"title\":\"one\"". A path such as "tcp://127.0.0.1:7777" sends the
        /// lines to `voskar live --listen 127.0.0.1:7777`.
        public Recorder(string path, double rate, string more = "", long first = 0)
        {
            frame = first;
            try
            {
                if (path.StartsWith("tcp://"))
                {
                    int colon = path.LastIndexOf(':');
                    var made = new Socket(AddressFamily.InterNetwork, SocketType.Stream, ProtocolType.Tcp);
                    made.Connect(path.Substring(6, colon - 6), int.Parse(path.Substring(colon + 1)));
                    made.Blocking = false;
                    socket = made;
                }
                else file = new StreamWriter(path, false, new UTF8Encoding(false));
            }
            catch (Exception error) { Problem = error.Message; }
            buffer.Append("{\"voskar\":\"recording\",\"version\":2,\"rate\":" + Entry.Number(rate) + (more == "" ? "" : "," + more) + "}\n");
            AppDomain.CurrentDomain.ProcessExit += delegate { Dispose(); };
            AppDomain.CurrentDomain.UnhandledException += delegate { Flush(); };
        }

        static Entry Add(List<Entry> some) { var entry = new Entry(); some.Add(entry); return entry; }
        /// More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
        /// frozen, z, push; List("tags", …), Counter(…), Box(…).
        public Entry Pose(string id, string kind, double x, double y) { return Add(poses).With("id", id).With("kind", kind).With("x", x).With("y", y); }
        /// A button, in every frame that it is held.
        public Entry Input(string id, string button) { return Add(inputs).With("id", id).With("button", button); }
        /// hit, clash (List("ids", …)), down, respawn, out, removed, spawn, over, won
        public Entry Claim(string name) { return Add(claims).With("event", name); }
        /// id with health, percent, icons, lives, score; or clock
        public Entry Display() { return Add(display); }
        /// Before this frame the "room", or the whole "run", began again.
        public void Reset(string what) { reset = what; }

        void Write(string name, List<Entry> some, bool always)
        {
            if (always || some.Count > 0)
            {
                buffer.Append(",\"" + name + "\":[");
                for (int k = 0; k < some.Count; k++) buffer.Append(k > 0 ? "," : "").Append(some[k].Text());
                buffer.Append("]");
            }
            some.Clear();
        }
        public void EndFrame()
        {
            if (buffer.Length + waiting.Length > MostWaiting) // the reader is too slow: the game goes on
            {
                dropped++; Lost++; frame++;
                poses.Clear(); inputs.Clear(); claims.Clear(); display.Clear(); reset = null;
                if (since.Elapsed.TotalSeconds >= FlushSeconds) Flush();
                return;
            }
            buffer.Append("{\"frame\":" + frame++);
            Write("poses", poses, true); Write("inputs", inputs, false); Write("claims", claims, false); Write("display", display, false);
            if (reset != null) buffer.Append(",\"reset\":" + Entry.Quoted(reset));
            reset = null;
            if (dropped > 0) buffer.Append(",\"dropped\":" + dropped);
            dropped = 0;
            buffer.Append("}\n");
            if (since.Elapsed.TotalSeconds >= FlushSeconds) Flush();
        }
        public void Flush()
        {
            since.Restart();
            try
            {
                if (file != null) { file.Write(buffer.ToString()); file.Flush(); }
                if (socket != null) Send();
            }
            catch (Exception error) { Problem = error.Message; file = null; socket = null; waiting = new byte[0]; }
            buffer.Length = 0;
        }
        void Send()
        {
            byte[] fresh = Encoding.UTF8.GetBytes(buffer.ToString()), all = new byte[waiting.Length + fresh.Length];
            waiting.CopyTo(all, 0);
            fresh.CopyTo(all, waiting.Length);
            int sent = 0;
            while (sent < all.Length && socket.Poll(0, SelectMode.SelectWrite)) // by pieces: some runtimes wait for the whole
            {
                SocketError how;
                int count = socket.Send(all, sent, Math.Min(16384, all.Length - sent), SocketFlags.None, out how);
                if (how == SocketError.WouldBlock) break;
                if (how != SocketError.Success) throw new SocketException((int)how);
                sent += count;
            }
            waiting = new byte[all.Length - sent];
            Array.Copy(all, all.Length - waiting.Length, waiting, 0, waiting.Length);
        }
        public void Dispose()
        {
            if (socket != null) { socket.SendTimeout = 1000; socket.Blocking = true; } // what still waits gets a second
            Flush();
            if (socket != null) socket.Close();
            socket = null;
            if (file != null) file.Dispose();
            file = null;
        }
    }
}
