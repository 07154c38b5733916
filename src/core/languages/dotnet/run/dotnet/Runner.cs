using System;
using System.Collections.Generic;
using System.Diagnostics;
using System.IO;
using System.Runtime.InteropServices;
using System.Text;

namespace Emballage.Host
{
    /// <summary>
    /// Runs inside the process that stands in for a host: loads one method and calls it with the events that arrive. Commands
    /// come as JSON lines on descriptor 3, answers go as JSON lines on descriptor 4, each with the secret mark that came with
    /// the first command, so that whatever the function writes there by itself is told from an answer.
    /// </summary>
    static class Runner
    {
        static readonly Stream Answers = new Descriptor(4);
        static string mark = "";
        static Dictionary<string, object> plan = new Dictionary<string, object>();
        static Member member;

        static int Main(string[] args)
        {
            if (args.Length > 0) return Start.Run(args[0]);
            var lines = new StreamReader(new Descriptor(3), new UTF8Encoding(false));
            for (string line = lines.ReadLine(); line != null; line = lines.ReadLine())
            {
                var command = (Dictionary<string, object>)Json.Parse(line);
                if ("load".Equals(command["kind"])) Load(command);
                else Call(command);
            }
            return 0;
        }

        static void Load(Dictionary<string, object> command)
        {
            mark = (string)command["mark"];
            plan = command;
            try
            {
                Stopwatch watch = Stopwatch.StartNew();
                member = Member.Load((string)command["file"], (string)command["member"]);
                Answer(new Dictionary<string, object> { { "kind", "loaded" }, { "loadMs", watch.Elapsed.TotalMilliseconds } });
            }
            catch (NoMember none)
            {
                Answer(new Dictionary<string, object> { { "kind", "no-member" }, { "found", none.Found }, { "members", none.Members } });
            }
            catch (Exception error)
            {
                Answer(Failure("load-failed", error));
            }
        }

        static void Call(Dictionary<string, object> command)
        {
            Dictionary<string, object> context = Start.Context(plan, (string)command["run"], (string)command["deadline"]);
            object value;
            try
            {
                object given;
                command.TryGetValue("event", out given);
                value = member.Invoke(given, context);
            }
            catch (Exception error)
            {
                Answer(Failure("threw", error));
                return;
            }
            string json;
            try
            {
                json = Json.Write(value);
            }
            catch (Exception fault)
            {
                Answer(new Dictionary<string, object> { { "kind", "not-json" }, { "fault", (fault.InnerException ?? fault).Message } });
                return;
            }
            Answer(new Dictionary<string, object> { { "kind", "result" }, { "json", json }, { "nothing", value == null } });
        }

        static Dictionary<string, object> Failure(string kind, Exception error)
        {
            var facts = new Dictionary<string, object> { { "name", error.GetType().FullName }, { "message", error.Message }, { "stack", error.ToString() } };
            string missing = Missing(error);
            if (missing != null) facts["missing"] = missing;
            return new Dictionary<string, object> { { "kind", kind }, { "error", facts } };
        }

        /// <summary>The assembly that was looked for; it may stand deep among the causes.</summary>
        static string Missing(Exception error)
        {
            for (Exception at = error; at != null; at = at.InnerException)
            {
                var file = at as FileNotFoundException;
                if (file != null && file.FileName != null) return file.FileName.Split(',')[0];
                var load = at as FileLoadException;
                if (load != null && load.FileName != null) return load.FileName.Split(',')[0];
            }
            return null;
        }

        static void Answer(Dictionary<string, object> facts)
        {
            facts["mark"] = mark;
            byte[] bytes = Encoding.UTF8.GetBytes(Json.Write(facts) + "\n");
            Answers.Write(bytes, 0, bytes.Length);
        }
    }

    /// <summary>A descriptor that was given by its number.</summary>
    sealed class Descriptor : Stream
    {
        readonly int number;

        public Descriptor(int number)
        {
            this.number = number;
        }

        [DllImport("libc", EntryPoint = "read", SetLastError = true)]
        static extern IntPtr ReadFrom(int descriptor, byte[] bytes, IntPtr count);

        [DllImport("libc", EntryPoint = "write", SetLastError = true)]
        static extern IntPtr WriteTo(int descriptor, byte[] bytes, IntPtr count);

        public override int Read(byte[] bytes, int offset, int count)
        {
            var piece = new byte[count];
            int got = Again(() => (int)ReadFrom(number, piece, (IntPtr)count));
            Array.Copy(piece, 0, bytes, offset, got);
            return got;
        }

        public override void Write(byte[] bytes, int offset, int count)
        {
            while (count > 0)
            {
                var piece = new byte[count];
                Array.Copy(bytes, offset, piece, 0, count);
                int done = Again(() => (int)WriteTo(number, piece, (IntPtr)piece.Length));
                offset += done;
                count -= done;
            }
        }

        /// <summary>A signal may come in between.</summary>
        static int Again(Func<int> call)
        {
            const int Interrupted = 4;
            for (; ; )
            {
                int done = call();
                if (done >= 0) return done;
                int error = Marshal.GetLastWin32Error();
                if (error != Interrupted) throw new IOException("error " + error + " of the system");
            }
        }

        public override bool CanRead { get { return true; } }
        public override bool CanWrite { get { return true; } }
        public override bool CanSeek { get { return false; } }
        public override long Length { get { throw new NotSupportedException(); } }
        public override long Position { get { throw new NotSupportedException(); } set { throw new NotSupportedException(); } }
        public override void Flush() { }
        public override long Seek(long offset, SeekOrigin origin) { throw new NotSupportedException(); }
        public override void SetLength(long value) { throw new NotSupportedException(); }
    }
}
