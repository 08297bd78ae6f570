// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but the base class library.
//
//   var log = new Voskar.Recorder("play.jsonl", 60);
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.Pose("keeper", "keeper", x, y).With("facing", 1).With("clip", "run").With("tick", 12).With("health", 3);
//   log.Claim("hit").With("attacker", "hornet-1").With("target", "keeper").With("damage", 1);
//   log.EndFrame();
//
// A path that ends in .gz is compressed. Numbers have `Decimals` places, 4 by default. A thing out of a pool needs another
// id each time: Pool("shot-0") as it is taken out.
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in Problem. Numbers that are
// none and ids that cannot be printed are replaced; the log says so in `problems`. One thread logs.
using System;
using System.Collections.Generic;
using System.Diagnostics;
using System.Globalization;
using System.IO;
using System.IO.Compression;
using System.Net.Sockets;
using System.Text;

namespace Voskar
{
    /// One pose, input, claim or entry of the display: With adds a field.
    public sealed class Entry
    {
        readonly StringBuilder text = new StringBuilder(), boxes = new StringBuilder(), counters = new StringBuilder();
        readonly Recorder log;
        string who = "an entry";
        internal Entry(Recorder log) { this.log = log; }
        internal void Clear() { text.Length = boxes.Length = counters.Length = 0; who = "an entry"; }

        public Entry With(string name, string value)
        {
            string clean = Printable(value);
            if (text.Length == 0) who = clean;
            if (clean != value) log.Note(who + ": " + name + " had characters that cannot be printed");
            Begin(text, name).Append(Quoted(clean));
            return this;
        }
        public Entry With(string name, bool value) { Begin(text, name).Append(value ? "true" : "false"); return this; }
        public Entry With(string name, double value) { Add(Begin(text, name), name, value); return this; }
        /// Aim or push.
        public Entry With(string name, double x, double y) { Add(Begin(text, name), name, new[] { x, y }); return this; }
        /// Where the game itself has an open box, corners in the world.
        public Entry Box(string name, double x0, double y0, double x1, double y1)
        {
            Add(Begin(boxes, name), "boxes", new[] { x0, y0, x1, y1 });
            return this;
        }
        /// Where the game itself has an open box that is round.
        public Entry Circle(string name, double x, double y, double r)
        {
            Begin(boxes, name).Append("{\"circle\":");
            Add(boxes, "boxes", new[] { x, y, r });
            boxes.Append('}');
            return this;
        }
        /// … or has corners: x, y, x, y, …
        public Entry Polygon(string name, params double[] corners)
        {
            Begin(boxes, name).Append("{\"polygon\":[");
            for (int k = 0; k + 1 < corners.Length; k += 2)
            {
                if (k > 0) boxes.Append(',');
                Add(boxes, "boxes", new[] { corners[k], corners[k + 1] });
            }
            boxes.Append("]}");
            return this;
        }
        /// Tags, or the two ids of a clash.
        public Entry List(string name, params string[] values)
        {
            Begin(text, name).Append('[');
            for (int k = 0; k < values.Length; k++) text.Append(k > 0 ? "," : "").Append(Quoted(Printable(values[k])));
            text.Append(']');
            return this;
        }
        /// The value of one of its counters.
        public Entry Counter(string name, double value) { Add(Begin(counters, name), "counters", value); return this; }

        static StringBuilder Begin(StringBuilder target, string name)
        {
            return target.Append(target.Length > 0 ? "," : "").Append(Quoted(name)).Append(':');
        }
        void Add(StringBuilder target, string name, double[] values)
        {
            target.Append('[');
            for (int k = 0; k < values.Length; k++) { if (k > 0) target.Append(','); Add(target, name, values[k]); }
            target.Append(']');
        }
        void Add(StringBuilder target, string name, double value)
        {
            if (!double.IsNaN(value) && !double.IsInfinity(value)) { target.Append(Number(value, log.Decimals)); return; }
            target.Append('0');
            log.Note(who + ": " + name + " was " + (double.IsNaN(value) ? "NaN" : value > 0 ? "infinite" : "-infinite"));
        }
        internal void Write(StringBuilder all)
        {
            all.Append('{').Append(text);
            if (counters.Length > 0) all.Append(text.Length > 0 ? "," : "").Append("\"counters\":{").Append(counters).Append('}');
            if (boxes.Length > 0) all.Append(text.Length + counters.Length > 0 ? "," : "").Append("\"boxes\":{").Append(boxes).Append('}');
            all.Append('}');
        }
        internal static string Number(double value, int decimals)
        {
            if (Math.Abs(value) >= 1e9) return value.ToString("R", CultureInfo.InvariantCulture);
            value = Math.Round(value, decimals);
            return value == Math.Floor(value) ? ((long)value).ToString(CultureInfo.InvariantCulture) : value.ToString("0.##########", CultureInfo.InvariantCulture);
        }
        internal static string Printable(string text)
        {
            text = text ?? "";
            StringBuilder clean = null;
            for (int k = 0; k < text.Length; k++)
            {
                bool pair = char.IsHighSurrogate(text[k]) && k + 1 < text.Length && char.IsLowSurrogate(text[k + 1]);
                bool odd = !pair && (char.IsControl(text[k]) || char.IsSurrogate(text[k]));
                if (odd && clean == null) clean = new StringBuilder(text, 0, k, text.Length);
                if (clean != null) clean.Append(odd ? '?' : text[k]);
                if (pair) { k++; if (clean != null) clean.Append(text[k]); }
            }
            return clean == null ? text : clean.ToString();
        }
        internal static string Quoted(string text)
        {
            if (text.IndexOf('"') < 0 && text.IndexOf('\\') < 0) return "\"" + text + "\"";
            return "\"" + text.Replace("\\", "\\\\").Replace("\"", "\\\"") + "\"";
        }
    }

    /// The entries of a frame; they are used again in the next.
    sealed class Entries
    {
        readonly List<Entry> all = new List<Entry>();
        internal int Count;
        internal Entry Add(Recorder log)
        {
            if (Count == all.Count) all.Add(new Entry(log));
            all[Count].Clear();
            return all[Count++];
        }
        internal Entry this[int at] { get { return all[at]; } }
    }

    public sealed class Recorder : IDisposable
    {
        public string Problem { get; private set; }
        readonly Entries poses = new Entries(), inputs = new Entries(), claims = new Entries(), display = new Entries();
        readonly List<string> problems = new List<string>();
        readonly Dictionary<string, int> taken = new Dictionary<string, int>();
        /// Places of numbers.
        public int Decimals = 4;
        /// Frames that a slow reader has cost.
        public long Lost { get; private set; }
        /// What is logged is written after so many seconds, 0 for every frame.
        public double FlushSeconds = 0.1;
        const int MostWaiting = 4000000;
        readonly StringBuilder buffer = new StringBuilder();
        readonly Stopwatch since = Stopwatch.StartNew();
        FileStream file;
        bool packed;
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
                else file = new FileStream(path, FileMode.Create, FileAccess.Write, FileShare.ReadWrite);
                packed = path.EndsWith(".gz");
            }
            catch (Exception error) { Problem = error.Message; }
            buffer.Append("{\"voskar\":\"recording\",\"version\":2,\"rate\":" + Entry.Number(rate, 9) + (more == "" ? "" : "," + more) + "}\n");
            Flush();
            AppDomain.CurrentDomain.ProcessExit += delegate { Dispose(); };
            AppDomain.CurrentDomain.UnhandledException += delegate { Flush(); };
        }

        internal void Note(string what) { if (problems.Count < 10) problems.Add(what); }
        /// Another id at each call: for a thing out of a pool, as it is taken out again.
        public string Pool(string id)
        {
            int count;
            taken.TryGetValue(id, out count);
            taken[id] = ++count;
            return count == 1 ? id : id + "~" + count.ToString(CultureInfo.InvariantCulture);
        }
        /// More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
        /// frozen, z, push; List("tags", …), Counter(…), Box(…), Circle(…), Polygon(…).
        public Entry Pose(string id, string kind, double x, double y) { return poses.Add(this).With("id", id).With("kind", kind).With("x", x).With("y", y); }
        /// A button, in every frame that it is held.
        public Entry Input(string id, string button) { return inputs.Add(this).With("id", id).With("button", button); }
        /// hit, clash (List("ids", …)), down, respawn, out, removed, spawn, over, won
        public Entry Claim(string name) { return claims.Add(this).With("event", name); }
        /// id with health, percent, icons, lives, score; or clock
        public Entry Display() { return display.Add(this); }
        /// Before this frame the "room", or the whole "run", began again.
        public void Reset(string what) { reset = what; }

        void Write(string name, Entries entries, bool always)
        {
            if (always || entries.Count > 0)
            {
                buffer.Append(",\"").Append(name).Append("\":[");
                for (int k = 0; k < entries.Count; k++) { if (k > 0) buffer.Append(','); entries[k].Write(buffer); }
                buffer.Append("]");
            }
            entries.Count = 0;
        }
        public void EndFrame()
        {
            if (buffer.Length + waiting.Length > MostWaiting) // the reader is too slow: the game goes on
            {
                dropped++; Lost++; frame++;
                poses.Count = inputs.Count = claims.Count = display.Count = 0;
                reset = null;
                problems.Clear();
                if (since.Elapsed.TotalSeconds >= FlushSeconds) Flush();
                return;
            }
            buffer.Append("{\"frame\":").Append((frame++).ToString(CultureInfo.InvariantCulture));
            Write("poses", poses, true); Write("inputs", inputs, false); Write("claims", claims, false); Write("display", display, false);
            if (reset != null) buffer.Append(",\"reset\":" + Entry.Quoted(Entry.Printable(reset)));
            reset = null;
            if (dropped > 0) buffer.Append(",\"dropped\":" + dropped);
            dropped = 0;
            for (int k = 0; k < problems.Count; k++) buffer.Append(k > 0 ? "," : ",\"problems\":[").Append(Entry.Quoted(problems[k]));
            buffer.Append(problems.Count > 0 ? "]}\n" : "}\n");
            problems.Clear();
            bool isFull = file != null && buffer.Length > 1000000; // a game without pauses fills a file faster than that
            if (isFull || since.Elapsed.TotalSeconds >= FlushSeconds) Flush();
        }
        public void Flush()
        {
            since.Restart();
            try
            {
                if (file != null && buffer.Length > 0)
                {
                    byte[] bytes = new UTF8Encoding(false).GetBytes(buffer.ToString());
                    if (packed) bytes = Packed(bytes);
                    file.Write(bytes, 0, bytes.Length);
                    file.Flush();
                }
                if (socket != null) Send();
            }
            catch (Exception error) { Problem = error.Message; file = null; socket = null; waiting = new byte[0]; }
            buffer.Length = 0;
        }
        static byte[] Packed(byte[] bytes)
        {
            using (var made = new MemoryStream())
            {
                using (var part = new GZipStream(made, CompressionMode.Compress)) part.Write(bytes, 0, bytes.Length);
                return made.ToArray();
            }
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
