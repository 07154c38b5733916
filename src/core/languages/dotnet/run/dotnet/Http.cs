using System;
using System.Collections.Generic;
using System.IO;
using System.Net;
using System.Text;
using System.Threading;

namespace Emballage.Host
{
    /// <summary>Gives a function CloudEvents that come by HTTP on the port in PORT (HTTP Protocol Binding 1.0.2, structured and binary mode).</summary>
    sealed class Http
    {
        readonly Start start;
        readonly SemaphoreSlim turns;
        int running;
        volatile bool isEnding;

        public Http(Start start)
        {
            this.start = start;
            turns = new SemaphoreSlim((int)start.Number("concurrency"));
        }

        sealed class Refused : Exception
        {
            public readonly int Status;

            public Refused(int status, string message) : base(message)
            {
                Status = status;
            }
        }

        public void Serve()
        {
            string port = Environment.GetEnvironmentVariable("PORT");
            var listener = new HttpListener();
            listener.Prefixes.Add("http://*:" + (string.IsNullOrEmpty(port) ? "8080" : port) + "/");
            listener.Start();
            AppDomain.CurrentDomain.ProcessExit += (sender, end) => End();
            for (; ; )
            {
                HttpListenerContext exchange = listener.GetContext();
                Interlocked.Increment(ref running);
                ThreadPool.QueueUserWorkItem(state => Handle(exchange));
            }
        }

        /// <summary>What has begun is answered.</summary>
        void End()
        {
            isEnding = true;
            DateTime until = DateTime.UtcNow.AddMilliseconds(start.Number("stopMs"));
            while (Thread.VolatileRead(ref running) > 0 && DateTime.UtcNow < until) Thread.Sleep(10);
            Console.Error.Flush();
            Environment.ExitCode = Thread.VolatileRead(ref running) == 0 ? 0 : 1;
        }

        void Handle(HttpListenerContext exchange)
        {
            try
            {
                HttpListenerRequest request = exchange.Request;
                if (request.HttpMethod == "GET" && request.Url.AbsolutePath.Equals(start.Plan["health"])) Send(exchange, 200, "text/plain", "ready\n");
                else if (isEnding) Send(exchange, 503, "application/json", Refusal("ending", "the function is being ended"));
                else Answer(exchange);
            }
            catch (Exception error)
            {
                // Who asked has gone.
                Console.Error.WriteLine(error.Message);
            }
            finally
            {
                Interlocked.Decrement(ref running);
            }
        }

        void Answer(HttpListenerContext exchange)
        {
            turns.Wait();
            try
            {
                Send(exchange, 200, "application/json", start.Call(Event(exchange.Request)));
            }
            catch (Refused refused)
            {
                exchange.Response.KeepAlive = false;
                Send(exchange, refused.Status, "application/json", Refusal("the request is no event", refused.Message));
            }
            catch (Exception error)
            {
                Console.Error.WriteLine(error);
                Send(exchange, 500, "application/json", Refusal(error.GetType().FullName, error.Message));
            }
            finally
            {
                turns.Release();
            }
        }

        static string Refusal(string error, string message)
        {
            return Json.Write(new Dictionary<string, object> { { "error", error }, { "message", message } }) + "\n";
        }

        static void Send(HttpListenerContext exchange, int status, string type, string text)
        {
            byte[] bytes = Encoding.UTF8.GetBytes(text);
            exchange.Response.StatusCode = status;
            exchange.Response.ContentType = type;
            if (exchange.Request.HttpMethod == "HEAD") exchange.Response.Close();
            else exchange.Response.Close(bytes, true);
        }

        byte[] Body(HttpListenerRequest request)
        {
            long most = start.Number("mostBytes");
            var all = new MemoryStream();
            var piece = new byte[65536];
            long read = 0;
            // What is too much is read all the same, up to a bound: who still sends does not see an answer.
            for (int length = request.InputStream.Read(piece, 0, piece.Length); length > 0 && read <= 4 * most; length = request.InputStream.Read(piece, 0, piece.Length))
            {
                read += length;
                if (read <= most) all.Write(piece, 0, length);
            }
            if (read > most) throw new Refused(413, "the body has more than " + most + " bytes");
            return all.ToArray();
        }

        /// <summary>HTTP Protocol Binding, section 3; what is no event is taken as the data of one.</summary>
        Dictionary<string, object> Event(HttpListenerRequest request)
        {
            if (request.HttpMethod != "POST") throw new Refused(405, "events come by POST, not by " + request.HttpMethod);
            byte[] body = Body(request);
            string stated = request.ContentType ?? "";
            string type = stated.Split(';')[0].Trim().ToLowerInvariant();
            if (type.StartsWith("application/cloudevents", StringComparison.Ordinal))
            {
                if (type != "application/cloudevents+json") throw new Refused(415, "events in JSON are read, not " + type);
                return Checked(Parsed(body));
            }
            var made = new Dictionary<string, object>();
            if (request.Headers["ce-specversion"] == null)
            {
                made["specversion"] = "1.0";
                made["id"] = "request";
                made["source"] = "/http";
                made["type"] = "http.request";
            }
            else
                foreach (string name in request.Headers.AllKeys)
                    if (name.StartsWith("ce-", StringComparison.OrdinalIgnoreCase))
                        made[name.Substring(3).ToLowerInvariant()] = Uri.UnescapeDataString(request.Headers[name]);
            if (body.Length > 0)
            {
                bool isJson = type == "" || type.EndsWith("/json", StringComparison.Ordinal) || type.EndsWith("+json", StringComparison.Ordinal);
                made["datacontenttype"] = type == "" ? "application/json" : type;
                if (isJson) made["data"] = Parsed(body);
                else if (type.StartsWith("text/", StringComparison.Ordinal)) made["data"] = Encoding.UTF8.GetString(body);
                else made["data_base64"] = Convert.ToBase64String(body);
            }
            return Checked(made);
        }

        static object Parsed(byte[] body)
        {
            try
            {
                return Json.Parse(Encoding.UTF8.GetString(body));
            }
            catch (FormatException bad)
            {
                throw new Refused(400, "the body is no JSON: " + bad.Message);
            }
        }

        /// <summary>CloudEvents 1.0, "Required attributes".</summary>
        static Dictionary<string, object> Checked(object value)
        {
            var made = value as Dictionary<string, object>;
            if (made == null) throw new Refused(400, "the body is no event");
            object version;
            made.TryGetValue("specversion", out version);
            if (!"1.0".Equals(version)) throw new Refused(400, "`specversion` is " + version + ", not 1.0");
            foreach (string name in new[] { "id", "source", "type" })
            {
                object text;
                if (!made.TryGetValue(name, out text) || !(text is string) || (string)text == "") throw new Refused(400, "the event has no `" + name + "`");
            }
            return made;
        }
    }
}
