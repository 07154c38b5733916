using System;
using System.Collections.Generic;
using System.Globalization;
using System.IO;
using System.Text;
using System.Threading;

namespace Emballage.Host
{
    /// <summary>
    /// Starts a function in an image. It is called in one of two ways: by lines, an event on each line of standard input
    /// (CloudEvents in JSON) and an answer on each line of standard output; or by HTTP. What the function itself writes goes
    /// to standard error, which is its log. By lines a function that throws ends with its stack there and exit code 1; by HTTP
    /// that call is answered with 500.
    /// </summary>
    sealed class Start
    {
        public readonly Dictionary<string, object> Plan;
        readonly Member member;
        int calls;

        Start(Dictionary<string, object> plan)
        {
            Plan = plan;
            member = Member.Load(Path.Combine((string)plan["root"], (string)plan["file"]), (string)plan["member"]);
        }

        public static int Run(string planFile)
        {
            TextWriter answers = Console.Out;
            Console.SetOut(Console.Error);
            try
            {
                var start = new Start((Dictionary<string, object>)Json.Parse(File.ReadAllText(planFile)));
                object speaks;
                start.Plan.TryGetValue("speaks", out speaks);
                if ("http".Equals(speaks)) new Http(start).Serve();
                else start.ReadLines(answers);
                return 0;
            }
            catch (Exception error)
            {
                Console.Error.WriteLine(error);
                return 1;
            }
        }

        bool IsData
        {
            get { return "data".Equals(Plan["event"]); }
        }

        public long Number(string name)
        {
            return Convert.ToInt64(Plan[name], CultureInfo.InvariantCulture);
        }

        /// <summary>The answer for an event, as JSON.</summary>
        public string Call(Dictionary<string, object> given)
        {
            string run = "run-" + Interlocked.Increment(ref calls);
            string deadline = DateTime.UtcNow.AddMilliseconds(Number("timeoutMs")).ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture);
            object data;
            given.TryGetValue("data", out data);
            return Json.Write(member.Invoke(IsData ? data : given, Context(Plan, run, deadline)));
        }

        /// <summary>What stands beside the event, under the names that the destination has for it.</summary>
        public static Dictionary<string, object> Context(Dictionary<string, object> plan, string run, string deadline)
        {
            var names = (Dictionary<string, object>)plan["context"];
            Action<object> log = text => Console.Error.WriteLine(text);
            return new Dictionary<string, object>
            {
                { (string)names["name"], plan["name"] },
                { (string)names["run"], run },
                { (string)names["deadline"], deadline },
                { (string)names["memory"], plan["memory"] },
                { (string)names["log"], log },
            };
        }

        void ReadLines(TextWriter answers)
        {
            var lines = new StreamReader(Console.OpenStandardInput(), new UTF8Encoding(false));
            for (string line = lines.ReadLine(); line != null; line = lines.ReadLine())
            {
                if (line.Trim() == "") continue;
                // A line is what the destination gives: a whole event, or its data.
                object given = Json.Parse(line);
                var whole = IsData ? new Dictionary<string, object> { { "data", given } } : (Dictionary<string, object>)given;
                string answer = Call(whole);
                Console.Error.Flush();
                answers.Write(answer + "\n");
                answers.Flush();
            }
        }
    }
}
